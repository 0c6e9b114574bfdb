"""The meshes of a kit and the part of them that lies on a sheet: faces, elements, regions of faces, by content.

Modules with compiled loops or sparse graphs are imported where they are used: they take half a second at start.
"""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from even_palette.core.arrays import Bools, Floats, Levels, Samples, float32
from even_palette.core.colour.numbered import number_colours
from even_palette.core.errors import FileChanged
from even_palette.core.kit.assignment import unpack_chosen, unpack_faces
from even_palette.core.kit.mesh_file import FaceRegions, MeshFile, Unit, Up
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

    `origins` are for each mesh file its key, how many faces it has, and which of them these are, in order.
    """

    mesh: Mesh
    origins: tuple[tuple[str, int, Samples], ...]

    @cached_property
    def uv(self) -> Floats:
        """The first UV set, (F, 3, 2) float32."""
        return self.mesh.uv_sets[0]

    @property
    def content_id(self) -> str:
        """Names the content of the mesh."""
        return self.mesh.content_id


def mesh_of_file(file: MeshFile, store: Store) -> Mesh:
    """The mesh of a file in metres, y up, unwrapped if it is asked for.

    Raises UserError if it cannot be read, and FileChanged if it is not what the kit knows.
    """

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


def mesh_on_sheet(at: Focus, store: Store) -> SheetMesh | None:
    """The faces that lie on the sheet; None if there are none with UVs."""
    sheet = at.key
    files = at.kit.meshes_on(sheet)
    if not files:
        return None
    each = tuple((f.key, mesh_of_file(f, store).content_id, f.sheet, repr(f.slots), f.uv_set) for f in files)
    name = ("sheet mesh", sheet, each)

    def build() -> SheetMesh | None:
        parts, origins = [], []
        for file in files:
            mesh = mesh_of_file(file, store)
            if not mesh.uv_sets:
                continue
            uv = mesh.uv_sets[min(file.uv_set, len(mesh.uv_sets) - 1)]
            own = _slots_on(mesh, file, sheet)[mesh.face_slot]
            if own.any():
                part = replace(mesh, uv_sets=(uv,))
                parts.append(part if own.all() else part.part(own))
                origins.append((file.key, mesh.face_count, np.flatnonzero(own)))
        if not parts:
            return None
        known = hashlib.sha256(repr(name).encode()).hexdigest()
        whole = replace(parts[0], known_id=known) if len(parts) == 1 else joined(parts, known)
        return SheetMesh(whole, tuple(origins))

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
    place = {region.key: index for index, region in enumerate(at.sheet.regions)}
    labels = []
    for key, count, faces in found.origins:
        stored = at.kit.mesh(key).faces
        numbers = np.array([*(place.get(name, -1) for name in stored.regions), -1], dtype=np.int32)
        labels.append(numbers[unpack_faces(stored, count)[faces]])
    return np.concatenate(labels)


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


def _slots_on(mesh: Mesh, file: MeshFile, sheet: str) -> Bools:
    return np.array([file.slots.get(name, file.sheet) == sheet for name in mesh.slots], dtype=bool)


def _turned(vectors: Floats) -> Floats:
    """From z up to y up: (x, y, z) to (x, z, -y)."""
    return float32(np.stack([vectors[..., 0], vectors[..., 2], -vectors[..., 1]], axis=-1))
