"""Meshes by libraries in a process of their own: one object in several formats, and files that mean harm."""

import json
import os
import random
import subprocess
import sys
import textwrap
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from even_palette.core.errors import UserError
from even_palette.core.mesh.files import READABLE, _apart, read_mesh
from even_palette.core.mesh.model import Mesh
from tests.core.test_bad_input import mutate
from tests.mesh.written import OBJECTS, SLOTS, in_the_world, write_collada, write_ours, write_stl, write_usd

WRITERS: dict[str, Callable[[Path], None]] = {
    ".dae": write_collada, ".usda": write_usd, ".stl": write_stl, ".glb": write_ours,
}  # fmt: skip
READERS = {
    ".dae": "even_palette.core.mesh.files._read_assimp", ".stl": "even_palette.core.mesh.files._read_assimp",
    ".usda": "even_palette.core.mesh.files._read_usd", ".usdc": "even_palette.core.mesh.files._read_usd",
}  # fmt: skip
MUTANTS = 200


def written(folder: Path, suffix: str) -> Path:
    path = folder / f"object{suffix}"
    if suffix in (".usdc", ".usdz"):
        write_usd(folder / "text.usda")
        code = "from pxr import Usd, UsdUtils; import sys; s = Usd.Stage.Open(sys.argv[1]); s.Export(sys.argv[2])"
        if suffix == ".usdz":
            code = "from pxr import UsdUtils; import sys; UsdUtils.CreateNewUsdzPackage(*sys.argv[1:])"
        subprocess.run([sys.executable, "-c", code, str(folder / "text.usda"), str(path)], check=True)
        return path
    WRITERS[suffix](path)
    return path


def by_place(mesh: Mesh) -> list[tuple[object, ...]]:
    """What each face is, whatever the order of faces and corners: where its corners are, with UVs and colours, and names."""
    corners, found = np.round(mesh.corners().astype(np.float64), 3) + 0.0, []
    for face in range(mesh.face_count):
        uv = np.round(mesh.uv_sets[0][face].astype(np.float64), 4) if mesh.uv_sets else np.zeros((3, 2))
        shade = mesh.colours[face] if mesh.colours is not None else np.zeros((3, 3))
        rows = [(*p, *t, *c) for p, t, c in zip(corners[face].tolist(), uv.tolist(), shade.tolist(), strict=True)]
        first = rows.index(min(rows))
        names = (mesh.slots[mesh.face_slot[face]], mesh.objects[mesh.face_object[face]])
        found.append((tuple(rows[first:] + rows[:first]), names))
    return sorted(found)


@pytest.mark.parametrize("suffix", [".dae", ".usda", ".usdc", ".usdz"])
def test_one_object_in_all_formats(tmp_path: Path, suffix: str) -> None:
    """Places in metres and y up, UVs, slots, objects, vertex colours and the sides of faces are those of the object; its
    nodes place it three times, once mirrored."""
    wanted, mesh = in_the_world(), read_mesh(written(tmp_path, suffix))
    assert set(mesh.slots) == set(SLOTS)
    assert set(mesh.objects) == set(OBJECTS)
    assert by_place(mesh) == by_place(wanted)
    facing = (mesh.normals[:, 0] * np.cross(*(mesh.corners()[:, k] - mesh.corners()[:, 0] for k in (1, 2)))).sum(-1)
    assert (facing > 0).all()


def test_areas_agree_with_ours(tmp_path: Path) -> None:
    """The area of the object by slot, from GLB by our own reader, COLLADA, USD and STL."""

    def areas(mesh: Mesh) -> dict[str, float]:
        doubled = np.cross(*(mesh.corners()[:, k] - mesh.corners()[:, 0] for k in (1, 2)))
        size = np.linalg.norm(doubled, axis=-1) / 2
        return {name: float(size[mesh.face_slot == number].sum()) for number, name in enumerate(mesh.slots)}

    ours = areas(read_mesh(written(tmp_path, ".glb")))
    for suffix in (".dae", ".usda"):
        theirs = areas(read_mesh(written(tmp_path, suffix)))
        assert {name: theirs[name] for name in ours} == pytest.approx(ours, rel=1e-5)
    assert sum(areas(read_mesh(written(tmp_path, ".stl"))).values()) == pytest.approx(sum(ours.values()), rel=1e-5)


def test_what_is_read_is_told() -> None:
    assert {".dae", ".stl", ".3mf", ".usd", ".usda", ".usdc", ".usdz", ".obj", ".ply", ".glb"} <= set(READABLE)


FORKED = """
import json, os, sys
from pathlib import Path
from even_palette.core.mesh.files import _apart
import importlib
importlib.import_module(sys.argv[1])
__import__("assimp_py" if "assimp" in sys.argv[1] else "pxr.UsdGeom")
for place in sorted(Path(sys.argv[2]).iterdir()):
    file = next(place.iterdir())
    child = os.fork()
    if child == 0:
        os.close(1); os.close(2)
        _apart.main([sys.argv[1], str(file), str(4 << 30), "600000", "2000000"])
        os._exit(0)
    _, status = os.waitpid(child, 0)
    told = place / _apart.TOLD
    print(json.dumps([os.waitstatus_to_exitcode(status), json.loads(told.read_text()) if told.exists() else {}]))
"""


@pytest.mark.parametrize("suffix", [".dae", ".stl", ".usda", ".usdc"])
def test_mutants_end_in_one_sentence(tmp_path: Path, suffix: str) -> None:
    """200 mutants: each is read, or refused in one line, or ends its process alone; none goes on for ever."""
    whole = written(tmp_path, suffix).read_bytes()
    rng = random.Random(7)
    places = tmp_path / "mutants"
    for number in range(MUTANTS):
        folder = places / f"{number:03}"
        folder.mkdir(parents=True)
        (folder / f"mesh{suffix}").write_bytes(mutate(whole, rng))
    ended = subprocess.run(
        [sys.executable, "-c", textwrap.dedent(FORKED), READERS[suffix], str(places)],
        capture_output=True, text=True, timeout=400, check=True, env={**os.environ, "PXR_WORK_THREAD_LIMIT": "1"},
    )  # fmt: skip
    lines = [json.loads(line) for line in ended.stdout.splitlines()]
    assert len(lines) == MUTANTS
    told = [each["error"] for code, each in lines if "error" in each]
    assert all("\n" not in each and len(each) < 400 for each in told)
    assert told
    assert all(code == 0 or not each for code, each in lines)


@pytest.mark.parametrize(
    ("suffix", "data", "told"),
    [
        (".dae", b"", "."), (".usda", b"#usda 1.0\n(\n", "."), (".stl", b"solid x\nendsolid x\n", "."),
        (".usdc", b"PXR-USDC" + bytes(200), "."), (".3mf", b"PK\x03\x04 no archive", "."),
        (".usda", b'#usda 1.0\ndef Mesh "A"\n{\n    int[] faceVertexCounts = [3]\n'
                  b"    int[] faceVertexIndices = [0, 1, 9]\n    point3f[] points = [(0, 0, 0)]\n}\n", "not there"),
    ],
)  # fmt: skip
def test_bad_files_are_refused_in_one_line(tmp_path: Path, suffix: str, data: bytes, told: str) -> None:
    path = tmp_path / f"bad{suffix}"
    path.write_bytes(data)
    with pytest.raises(UserError, match=told) as error:
        read_mesh(path)
    assert str(error.value).startswith(path.name)
    assert "\n" not in str(error.value)


def test_limits_end_the_process(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A reader that crashes, waits for ever, or wants too much memory costs one sentence."""
    path = tmp_path / "a.dae"
    write_collada(path)
    for module, told in (
        ("tests.mesh.harm_crash", "damaged"), ("tests.mesh.harm_memory", "damaged"), ("tests.mesh.harm_wait", "2 seconds"),
    ):  # fmt: skip
        if module.endswith("wait"):
            monkeypatch.setattr(_apart, "LONGEST_S", 2)
        with pytest.raises(UserError, match=told):
            _apart.read_apart(module, path.read_bytes(), path, _apart.MeshLimits(), "")


def test_a_file_sees_nothing_beside_it(tmp_path: Path) -> None:
    """References to other files are not followed."""
    write_usd(tmp_path / "other.usda")
    path = tmp_path / "refers.usda"
    path.write_text('#usda 1.0\ndef "A" (\n    references = @./other.usda@</Root>\n)\n{\n}\n')
    with pytest.raises(UserError, match="no triangles"):
        read_mesh(path)
