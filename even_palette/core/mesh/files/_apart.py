"""Reading meshes with libraries that are not ours: in a process of its own, under limits, which a hostile file may end.

The process sees the bytes of the one file and nothing else of what lies beside it. `python -m` this module is that
process: it reads `file` with a reader, and writes what it found, or why it could not, beside it.
"""

import importlib
import json
import os
import resource
import subprocess
import sys
import tempfile
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from even_palette.core.arrays import Floats, Levels, Samples, float32
from even_palette.core.disk.gate import reason, size_text
from even_palette.core.errors import UserError
from even_palette.core.mesh.files._declare import MeshLimits
from even_palette.core.mesh.files._soup import check_corners, check_finite
from even_palette.core.mesh.model import Mesh, build_mesh

LONGEST_S = 120
"""Of the clock; and of the processor's time."""
LEAST_MEMORY, MEMORY_A_BYTE = 3 << 30, 60
"""Bytes of address space that reading may take: at the least, and for each byte of the file."""
MOST_FILES = 64
FOUND, TOLD = "found.npz", "told.json"
MOST_TOLD = 200


@dataclass(frozen=True, eq=False)
class Found:
    """What a library found: triangles over positions, in metres, y up, fronts counter-clockwise.

    `positions` (N, 3), `corners` (F, 3) into them; at each corner `uv_sets`, each (F, 3, 2) with v down, `normals`
    (F, 3, 3) and `colours` (F, 3, 3) uint8, or None; the slot and the object of each face (F,) with their names.
    """

    positions: Samples
    corners: Samples
    uv_sets: tuple[Floats, ...]
    normals: Floats | None
    colours: Levels | None
    slots: tuple[str, ...]
    face_slot: Samples
    objects: tuple[str, ...]
    face_object: Samples
    notes: tuple[str, ...] = ()


Reader = Callable[[Path, MeshLimits], Found]
"""Reads a file with a library, in the process. Raises UserError."""


def read_apart(module: str, data: bytes, path: Path, limits: MeshLimits, known_id: str) -> Mesh:
    """The mesh of a file that holds these bytes, by the function `read` of a module, in a process of its own.

    Raises UserError, naming the file, whatever becomes of the process.
    """
    with tempfile.TemporaryDirectory(prefix="even_palette_mesh_") as folder:
        file = Path(folder, f"mesh{path.suffix.lower()}")
        try:
            file.write_bytes(data)
        except OSError as error:
            raise UserError(f"{path.name}: there is no room to read it ({reason(error)}).") from None
        memory = LEAST_MEMORY + MEMORY_A_BYTE * len(data)
        command = [sys.executable, "-P", "-m", __name__, module, str(file), str(memory)]
        command += [str(limits.faces), str(limits.vertices)]
        top = str(Path(__file__).parents[4])
        around = {**os.environ, "PXR_WORK_THREAD_LIMIT": "1", "OPENBLAS_NUM_THREADS": "1", "PYTHONPATH": top}
        try:
            ended = subprocess.run(
                command, stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
                timeout=LONGEST_S, env=around, cwd=folder, check=False,
            )  # fmt: skip
        except subprocess.TimeoutExpired:
            raise UserError(f"{path.name}: takes more than {LONGEST_S} seconds to read.") from None
        told = _told(Path(folder, TOLD))
        if told.get("error"):
            raise UserError(f"{path.name}: {told['error']}")
        if ended.returncode or not told:
            raise UserError(f"{path.name}: the mesh is damaged, or takes more than {size_text(memory)} to read.")
        return _mesh(path.name, _found(Path(folder, FOUND), told), limits, known_id)


def _told(path: Path) -> dict[str, object]:
    try:
        found = json.loads(path.read_bytes())
    except (OSError, ValueError):
        return {}
    return found if isinstance(found, dict) else {}


def _found(path: Path, told: dict[str, object]) -> Found:
    slots, objects, notes = (tuple(map(str, told[name])) for name in ("slots", "objects", "notes"))  # type: ignore[call-overload]
    with np.load(path, allow_pickle=False) as arrays:
        uv = tuple(float32(arrays[name]) for name in sorted(arrays.files) if name.startswith("uv"))
        normals, colours = (arrays[name] if name in arrays.files else None for name in ("normals", "colours"))
        return Found(
            arrays["positions"], arrays["corners"], uv, normals, colours, slots, arrays["face_slot"], objects,
            arrays["face_object"], notes,
        )  # fmt: skip


def _mesh(name: str, found: Found, limits: MeshLimits, known_id: str) -> Mesh:
    limits.check(name, "faces", len(found.corners))
    limits.check(name, "vertices", len(found.positions))
    check_corners(name, found.corners, len(found.positions))
    check_finite(name, found.positions, found.corners)
    uv = tuple(np.nan_to_num(each, posinf=0, neginf=0) for each in found.uv_sets)
    return build_mesh(
        float32(found.positions), found.corners, uv, found.normals, found.colours, found.slots, found.face_slot,
        found.objects, found.face_object, found.notes, known_id,
    )  # fmt: skip


def fans(counts: Samples) -> tuple[Samples, Samples]:
    """Polygons of so many corners (P,) cut into fans: for each triangle its corners (F, 3) in the list of all corners,
    and its polygon (F,)."""
    counts = np.asarray(counts, np.int64)
    triangles = np.maximum(counts - 2, 0)
    owner = np.repeat(np.arange(len(counts)), triangles)
    first = np.cumsum(counts) - counts
    number = np.arange(len(owner)) - np.repeat(np.cumsum(triangles) - triangles, triangles)
    start = first[owner]
    return np.stack([start, start + number + 1, start + number + 2], axis=-1), owner


def main(arguments: Sequence[str]) -> None:
    """Read a file under limits, and leave what was found beside it."""
    module, file, memory, faces, vertices = arguments
    for what, most in (
        (resource.RLIMIT_AS, int(memory)), (resource.RLIMIT_CPU, LONGEST_S), (resource.RLIMIT_CORE, 0),
        (resource.RLIMIT_FSIZE, int(memory)), (resource.RLIMIT_NOFILE, MOST_FILES),
    ):  # fmt: skip
        resource.setrlimit(what, (most, most))
    folder, told = Path(file).parent, dict[str, object]()
    try:
        read: Reader = importlib.import_module(module).read
        found = read(Path(file), MeshLimits(int(faces), int(vertices)))
        arrays: dict[str, Samples] = {
            "positions": np.asarray(found.positions, np.float64), "corners": np.asarray(found.corners, np.int64),
            "face_slot": np.asarray(found.face_slot, np.int32), "face_object": np.asarray(found.face_object, np.int32),
            **{f"uv{number:02}": each for number, each in enumerate(found.uv_sets)},
        }  # fmt: skip
        if found.normals is not None:
            arrays["normals"] = float32(found.normals)
        if found.colours is not None:
            arrays["colours"] = found.colours
        with open(folder / FOUND, "wb") as out:
            np.savez(out, **arrays)  # type: ignore[arg-type]
        told = {"slots": found.slots, "objects": found.objects, "notes": found.notes}
    except UserError as error:
        told = {"error": str(error)}
    except Exception as error:
        cause = " ".join(str(error).replace(file, "the file").split())[:MOST_TOLD]
        told = {"error": f"the mesh is damaged ({type(error).__name__}: {cause})."}
    Path(folder, TOLD).write_text(json.dumps(told), "utf-8")


if __name__ == "__main__":
    main(sys.argv[1:])
