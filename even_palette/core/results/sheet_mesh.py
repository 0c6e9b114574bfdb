"""The meshes of a kit and the part of them that lies on a sheet: faces, elements, regions of faces, by content.

Modules with compiled loops or sparse graphs are imported where they are used: they take half a second at start.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from even_palette.core.arrays import Bools, Floats, Levels, Samples, float32
from even_palette.core.colour.numbered import number_colours
from even_palette.core.errors import FileChanged
from even_palette.core.kit.assignment import unpack_chosen, unpack_faces
from even_palette.core.kit.mesh_file import MOVE_STEP, FaceRegions, MeshFile, Unit, Up, move_of
from even_palette.core.kit.model import Focus
from even_palette.core.mesh.files import read_mesh
from even_palette.core.mesh.kinds import ElementKind
from even_palette.core.mesh.model import Mesh, joined
from even_palette.core.mesh.unwrap import unwrapped
from even_palette.core.results.file_names import name_of
from even_palette.core.results.store import Store

if TYPE_CHECKING:
    from even_palette.core.mesh.elements import Elements

METRES = {Unit.METRE: 1.0, Unit.CENTIMETRE: 0.01, Unit.MILLIMETRE: 0.001, Unit.INCH: 0.0254}


@dataclass(frozen=True, eq=False)
class SheetMesh:
    """The faces of all meshes that lie on one sheet, as one mesh with one UV set.

    `origins` are for each mesh file its key, how many faces it has, and which of them these are, in order. `faces_id`
    names the faces, wherever on the sheet they lie.
    """

    mesh: Mesh
    origins: tuple[tuple[str, int, Samples], ...]
    faces_id: str

    @cached_property
    def uv(self) -> Floats:
        """The first UV set, (F, 3, 2) float32."""
        return self.mesh.uv_sets[0]

    @property
    def content_id(self) -> str:
        """Names the content of the mesh."""
        return self.mesh.content_id


def mesh_of_file(file: MeshFile, store: Store) -> Mesh:
    """The mesh of a file in metres, y up, unwrapped if it is asked for, its faces moved on the sheet as the kit says.

    Raises UserError if it cannot be read, and FileChanged if it is not what the kit knows.
    """
    mesh = _unmoved(file, store)
    if not file.moved.packed or not mesh.uv_sets:
        return mesh
    number = min(file.uv_set, len(mesh.uv_sets) - 1)
    name = ("moved", mesh.content_id, number, _name_of_faces(file.moved))
    return store.cache.get(name, lambda: _moved(mesh, number, moves_of(file, mesh.face_count), repr(name)))


def _unmoved(file: MeshFile, store: Store) -> Mesh:
    """The same, with UVs where the file has them."""

    def read() -> Mesh:
        mesh = read_mesh(Path(file.path))
        if file.sha256 not in ("", mesh.known_id):
            raise FileChanged(file.path)
        known = f"{mesh.known_id}:{file.unit}:{file.up}"
        points, normals = mesh.points * np.float32(METRES[file.unit]), mesh.normals
        if file.up == Up.Z:
            points, normals = _turned(points), _turned(normals)
        return replace(mesh, points=points, normals=normals, known_id=known)

    mesh: Mesh = store.cache.get(("mesh", name_of(file), file.unit, file.up), read)
    if file.unwrap:
        return store.cache.get(("unwrapped", mesh.content_id), lambda: unwrapped(mesh))
    return mesh


def moves_of(file: MeshFile, count: int) -> Samples:
    """How many steps to the right and down each of `count` faces is moved, (count, 2) int32 (see MOVE_STEP)."""
    steps = np.array([*map(move_of, file.moved.regions), (0, 0)], dtype=np.int32)
    return steps[unpack_faces(file.moved, count)]


def _moved(mesh: Mesh, number: int, steps: Samples, name: str) -> Mesh:
    sets = list(mesh.uv_sets)
    sets[number] = sets[number] + (float32(steps) * np.float32(MOVE_STEP))[:, None]
    return replace(mesh, uv_sets=tuple(sets), known_id=hashlib.sha256(name.encode()).hexdigest())


def mesh_on_sheet(at: Focus, store: Store) -> SheetMesh | None:
    """The faces that lie on the sheet; None if there are none with UVs."""
    sheet = at.key
    files = at.kit.meshes_on(sheet)
    if not files:
        return None
    each = tuple((f.key, mesh_of_file(f, store).content_id, f.sheet, repr((f.slots, f.tiles)), f.uv_set) for f in files)
    name = ("sheet mesh", sheet, each)

    def build() -> SheetMesh | None:
        parts, origins = [], []
        for file in files:
            mesh = mesh_of_file(file, store)
            if not mesh.uv_sets:
                continue
            uv = mesh.uv_sets[min(file.uv_set, len(mesh.uv_sets) - 1)]
            own, uv = _faces_on(mesh, uv, file, sheet)
            if own.any():
                part = replace(mesh, uv_sets=(uv,))
                parts.append(part if own.all() else part.part(own))
                origins.append((file.key, mesh.face_count, np.flatnonzero(own)))
        if not parts:
            return None
        known = hashlib.sha256(repr(name).encode()).hexdigest()
        whole = replace(parts[0], known_id=known) if len(parts) == 1 else joined(parts, known)
        unmoved = [_unmoved(file, store).content_id for file in files]
        faces = repr((unmoved, [(key, count, own.tobytes()) for key, count, own in origins]))
        return SheetMesh(whole, tuple(origins), hashlib.sha256(faces.encode()).hexdigest())

    return store.cache.get(name, build)


def elements_of(at: Focus, store: Store, kind: ElementKind) -> Elements:
    """The elements of the mesh on the sheet. Raises KeyError if there is none."""
    from even_palette.core.mesh.elements import elements

    found = mesh_on_sheet(at, store)
    if found is None:
        raise KeyError(kind)
    return store.cache.get(("elements", found.content_id, kind), lambda: elements(found.mesh, kind))


def known_elements(at: Focus, store: Store, kind: ElementKind) -> Elements | None:
    """The elements of a kind if they were found already."""
    found = mesh_on_sheet(at, store)
    return store.cache.peek(("elements", found.content_id, kind)) if found else None


def regions_of_faces(at: Focus, store: Store) -> Samples:
    """For each face on the sheet the number of its region on that sheet, (F,) int32, -1 for none."""
    found = mesh_on_sheet(at, store)
    if found is None:
        return np.zeros(0, dtype=np.int32)
    return _numbers_of_faces(found, [r.key for r in at.sheet.regions], lambda key: at.kit.mesh(key).faces)


def twins_of_faces(at: Focus, store: Store) -> Samples:
    """For each face on the sheet the number of its twin among those of the sheet, (F,) int32, -1 for none."""
    found = mesh_on_sheet(at, store)
    if found is None:
        return np.zeros(0, dtype=np.int32)
    return _numbers_of_faces(found, [t.key for t in at.sheet.twins], lambda key: at.kit.mesh(key).twins)


def _numbers_of_faces(found: SheetMesh, keys: list[str], packed: Callable[[str], FaceRegions]) -> Samples:
    """For each face (F,) the number among these keys of what it was given to; `packed` says it of a mesh by key."""
    place, labels = {key: number for number, key in enumerate(keys)}, []
    for key, count, faces in found.origins:
        stored = packed(key)
        numbers = np.array([*(place.get(name, -1) for name in stored.regions), -1], dtype=np.int32)
        labels.append(numbers[unpack_faces(stored, count)[faces]])
    return np.concatenate(labels)


def twin_parts(at: Focus, store: Store) -> dict[str, Mesh]:
    """The mesh on the sheet in parts: "" for what looks as the sheet does, then each twin that has faces, by key."""
    found = mesh_on_sheet(at, store)
    if found is None:
        return {}
    packed = [_name_of_faces(at.kit.mesh(key).twins) for key, _, _ in found.origins]
    keys = ["", *(twin.key for twin in at.sheet.twins)]

    def cut() -> dict[str, Mesh]:
        labels = twins_of_faces(at, store)
        if (labels < 0).all():
            return {"": found.mesh}
        parts = {}
        for number, key in enumerate(keys, -1):
            if (labels == number).any():
                known = hashlib.sha256(repr((found.content_id, packed, keys, key)).encode()).hexdigest()
                parts[key] = replace(found.mesh.part(labels == number), known_id=known)
        return parts

    return store.cache.get(("twin parts", found.content_id, tuple(packed), tuple(keys)), cut)


def parts_of(at: Focus, store: Store, key: str) -> dict[str, Mesh]:
    """What of one mesh, by its key, lies on the sheet, in parts as `twin_parts` gives them of all."""
    found = mesh_on_sheet(at, store)
    if found is None:
        return {}
    packed = tuple(_name_of_faces(at.kit.mesh(name).twins) for name, _, _ in found.origins)
    keys = ("", *(twin.key for twin in at.sheet.twins))
    name = ("parts of a mesh", found.content_id, key, packed, keys)

    def cut() -> dict[str, Mesh]:
        own = np.concatenate([np.full(len(faces), origin == key) for origin, _, faces in found.origins])
        labels, parts = twins_of_faces(at, store), {}
        for number, twin in enumerate(keys, -1):
            chosen = own & (labels == number)
            if chosen.any():
                known = hashlib.sha256(repr((name, twin)).encode()).hexdigest()
                parts[twin] = replace(found.mesh.part(chosen), known_id=known)
        return parts

    return store.cache.get(name, cut)


def faces_name(at: Focus) -> str:
    """Names what faces of the sheet were given to which regions, by content."""
    stored = [(file.key, _name_of_faces(file.faces)) for file in at.kit.meshes if not file.reference]
    return hashlib.sha256(repr(stored).encode()).hexdigest()


def roots_of(at: Focus, store: Store) -> Bools:
    """The picked root faces (F,) of the mesh on the sheet."""
    found = mesh_on_sheet(at, store)
    if found is None:
        return np.zeros(0, dtype=bool)
    picked = [unpack_chosen(at.kit.mesh(key).roots, count)[faces] for key, count, faces in found.origins]
    return np.concatenate(picked)


def reference_colours(mesh: Mesh, by: str) -> tuple[Levels, list[tuple[str, tuple[int, int, int]]]]:
    """The ID colour of each face (F, 3) uint8 by its slot or vertex colour, and the names with their colours.

    Black stands for nothing found, so a black vertex colour becomes (1, 1, 1).
    """
    from even_palette.core.mesh.elements import elements

    kind = ElementKind.COLOUR if by == "colours" else ElementKind.SLOT
    groups = elements(mesh, kind)
    colours = number_colours(groups.count)
    if by == "colours" and mesh.colours is not None:
        for number, name in enumerate(groups.names):
            colours[number] = [max(1, int(name[i : i + 2], 16)) if name == "#000000" else int(name[i : i + 2], 16)
                               for i in (1, 3, 5)]  # fmt: skip
    named = [(groups.name(n), (int(c[0]), int(c[1]), int(c[2]))) for n, c in enumerate(colours)]
    return colours[groups.labels], named


@lru_cache(maxsize=256)
def _name_of_faces(faces: FaceRegions) -> str:
    return hashlib.sha256(repr((faces.count, faces.regions)).encode() + faces.packed).hexdigest()


def _faces_on(mesh: Mesh, uv: Floats, file: MeshFile, sheet: str) -> tuple[Bools, Floats]:
    """Which faces (F,) of a mesh lie on a sheet, and where their UVs (F, 3, 2) lie on it."""
    own = _slots_on(mesh, file, sheet)[mesh.face_slot]
    if not file.tiles:
        return own, uv
    tiles = tiles_of(uv)
    for name, key in file.tiles.items():
        across, down = map(int, name.split())
        there = (tiles == (across, down)).all(axis=1) & _slots_on(mesh, file, file.sheet)[mesh.face_slot]
        own = np.where(there, key == sheet, own)
        if key == sheet:
            uv = np.where(there[:, None, None], uv - float32((across, down)), uv)
    return own, uv


def tiles_of(uv: Floats) -> Samples:
    """The tile (F, 2) that the middle of each face with uv (F, 3, 2) lies in, counted to the right and down."""
    middle = np.nan_to_num(uv.astype(np.float64).mean(axis=1), posinf=0, neginf=0)
    return np.asarray(np.floor(np.clip(middle, -100, 100)), dtype=np.int32)


def _slots_on(mesh: Mesh, file: MeshFile, sheet: str) -> Bools:
    return np.array([file.slots.get(name, file.sheet) == sheet for name in mesh.slots], dtype=bool)


def _turned(vectors: Floats) -> Floats:
    """From z up to y up: (x, y, z) to (x, z, -y)."""
    return float32(np.stack([vectors[..., 0], vectors[..., 2], -vectors[..., 1]], axis=-1))
