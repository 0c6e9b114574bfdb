"""What follows from the meshes of a kit: the part on a sheet, its elements, footprints and bakes, by content.

Modules with compiled loops or sparse graphs are imported where they are used: they take half a second at start.
"""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache
from pathlib import Path
from typing import TYPE_CHECKING, Protocol

import numpy as np

from even_palette.core.arrays import Bools, Floats, Levels, Samples, float32
from even_palette.core.disk.gate import reason, refuse_sources
from even_palette.core.errors import FileChanged, UserError
from even_palette.core.jobs import CancelToken, Progress, silent
from even_palette.core.kit.assignment import unpack_chosen, unpack_faces
from even_palette.core.kit.model import Bake, FaceRegions, Focus, Kit, MeshFile, Unit, Up
from even_palette.core.mesh.baked import Baked
from even_palette.core.mesh.bakes import bakes
from even_palette.core.mesh.files import read_mesh
from even_palette.core.mesh.footprint import Footprint, footprint
from even_palette.core.mesh.kinds import ElementKind
from even_palette.core.mesh.model import Mesh, joined
from even_palette.core.mesh.unwrap import unwrapped
from even_palette.core.raster.plane import Plane
from even_palette.core.raster.tiles import TiledPlane, grid_of
from even_palette.core.results.cache import Cache
from even_palette.core.results.sources import name_of

if TYPE_CHECKING:
    from even_palette.core.mesh.bakes._declare import Ground
    from even_palette.core.mesh.elements import Elements
    from even_palette.core.mesh.raster import Layout
    from even_palette.core.mesh.texels import SurfaceTexels

METRES = {Unit.METRE: 1.0, Unit.CENTIMETRE: 0.01, Unit.MILLIMETRE: 0.001, Unit.INCH: 0.0254}
LIT = "spill"
"""The bake that is made from what texels of the sheet give."""
FINE_SAMPLES, COARSE_SAMPLES = 4, 2
FINEST_SIZE = 2048
MOST_FINE_FACES = 300_000


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


class Light(Protocol):
    """What texels of a sheet send out as a bake wants it: its name, and the light itself (see `glow`)."""

    def key(self, at: Focus, bake: Bake) -> tuple[object, ...]:
        """Names the light by all that it depends on."""
        ...

    def made(self, at: Focus, bake: Bake) -> Floats | None:
        """The light, (size, size, 3) float32; None where nothing glows."""
        ...


class Meshes:
    """Derived results of meshes. Holds nothing but the cache; all methods may be called from any thread."""

    def __init__(self, cache: Cache, light: Light | None = None) -> None:
        """`light` is what the texels of a sheet send out, for bakes that are made from it."""
        self.cache = cache
        self.light = light

    def file(self, file: MeshFile) -> Mesh:
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

        mesh: Mesh = self.cache.get(("mesh", name_of(file), file.unit, file.up), read)
        if file.unwrap:
            return self.cache.get(("unwrapped", mesh.content_id), lambda: unwrapped(mesh))
        return mesh

    def on_sheet(self, at: Focus) -> SheetMesh | None:
        """The faces that lie on the sheet; None if there are none with UVs."""
        sheet = at.key
        files = [file for file in at.kit.meshes if not file.reference and sheet in (file.sheet, *file.slots.values())]
        if not files:
            return None
        each = tuple((f.key, self.file(f).content_id, f.sheet, repr(f.slots), f.uv_set) for f in files)
        name = ("sheet mesh", sheet, each)

        def build() -> SheetMesh | None:
            parts, origins = [], []
            for file in files:
                mesh = self.file(file)
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

        return self.cache.get(name, build)

    def elements(self, at: Focus, kind: ElementKind) -> Elements:
        """The elements of the mesh on the sheet. Raises KeyError if there is none."""
        from even_palette.core.mesh.elements import elements

        found = self.on_sheet(at)
        if found is None:
            raise KeyError(kind)
        return self.cache.get(("elements", found.content_id, kind), lambda: elements(found.mesh, kind))

    def known_elements(self, at: Focus, kind: ElementKind) -> Elements | None:
        """The elements of a kind if they were found already."""
        found = self.on_sheet(at)
        return self.cache.peek(("elements", found.content_id, kind)) if found else None

    def face_regions(self, at: Focus) -> Samples:
        """For each face on the sheet the number of its region on that sheet, (F,) int32, -1 for none."""
        found = self.on_sheet(at)
        if found is None:
            return np.zeros(0, dtype=np.int32)
        place = {region.key: index for index, region in enumerate(at.sheet.regions)}
        labels = []
        for key, count, faces in found.origins:
            stored = at.kit.mesh(key).faces
            numbers = np.array([*(place.get(name, -1) for name in stored.regions), -1], dtype=np.int32)
            labels.append(numbers[unpack_faces(stored, count)[faces]])
        return np.concatenate(labels)

    def assignment_key(self, at: Focus) -> str:
        """Names what faces of the sheet were given to which regions, by content."""
        stored = [(file.key, _name_of_faces(file.faces)) for file in at.kit.meshes if not file.reference]
        return hashlib.sha256(repr(stored).encode()).hexdigest()

    def roots(self, at: Focus) -> Bools:
        """The picked root faces (F,) of the mesh on the sheet."""
        found = self.on_sheet(at)
        if found is None:
            return np.zeros(0, dtype=bool)
        picked = [unpack_chosen(at.kit.mesh(key).roots, count)[faces] for key, count, faces in found.origins]
        return np.concatenate(picked)

    def footprint(
        self, at: Focus, width: int, height: int, progress: Progress = silent, cancel: CancelToken | None = None
    ) -> Footprint | None:
        """Which faces the texels of the sheet show, at this size; None without a mesh."""
        found = self.on_sheet(at)
        if found is None:
            return None
        fine = max(width, height) <= FINEST_SIZE and found.mesh.face_count <= MOST_FINE_FACES
        samples = FINE_SAMPLES if fine else COARSE_SAMPLES
        padding = at.sheet.padding

        def make() -> Footprint:
            return footprint(found.uv, width, height, samples, padding, progress, cancel)

        key = ("footprint", found.content_id, width, height, samples, padding)
        return self.cache.get_lasting(Footprint, key, make)

    def surface(
        self, at: Focus, width: int, height: int, progress: Progress = silent, cancel: CancelToken | None = None
    ) -> SurfaceTexels | None:
        """Where on the mesh the texels of the sheet lie, at this size; None without a mesh."""
        found = self.on_sheet(at)
        if found is None:
            return None

        def make() -> SurfaceTexels:
            from even_palette.core.mesh.texels import surface_texels

            seen = self.footprint(at, width, height, progress, cancel)
            assert seen is not None
            return surface_texels(found.mesh, found.uv, seen)

        return self.cache.get(("surface", found.content_id, width, height, at.sheet.padding), make)

    def layout(self, at: Focus, width: int, height: int) -> Layout | None:
        """How the UVs of the sheet lie; None without a mesh."""
        from even_palette.core.mesh.raster import layout

        found, seen = self.on_sheet(at), self.footprint(at, width, height)
        if found is None or seen is None:
            return None
        return self.cache.get(("layout", found.content_id, width, height), lambda: layout(found.uv, seen.claims))

    # Bakes

    def bake_key(self, at: Focus, bake: Bake) -> str:
        """Names a bake by everything that it depends on."""
        found = self.on_sheet(at)
        depends: list[object] = [found.content_id if found else "", bake.kind, bake.size, bake.padding, bake.samples,
                                 sorted(bake.values.items())]  # fmt: skip
        if bake.kind == "id_colours":
            colours = [(region.key, region.id_colour) for region in at.sheet.regions]
            depends += [self.assignment_key(at), colours]
        if bake.kind == LIT:
            depends.append(self.light.key(at, bake) if self.light else "")
        if bake.kind == "along":
            depends.append([file.roots for file in at.kit.meshes])
        if bake.kind == "transfer":
            depends += [(name_of(f), f.unit, f.up, f.unwrap) for f in at.kit.meshes if f.reference]
        return hashlib.sha256(repr(depends).encode()).hexdigest()

    def known_bake(self, at: Focus, bake: Bake) -> Baked | None:
        """The bake if it was made already."""
        return self.cache.peek(("bake", self.bake_key(at, bake)))

    def made_bake(self, at: Focus, bake: Bake) -> Plane | None:
        """The bake as a plane if it was made already."""
        known = self.known_bake(at, bake)
        return self._as_plane(self.bake_key(at, bake), known) if known else None

    def _as_plane(self, key: str, baked: Baked) -> Plane:
        """The bake as tiles, so that equal parts of bakes have equal names."""
        return self.cache.get(("bake plane", key), lambda: TiledPlane(grid_of(baked.samples)))

    def bake(
        self, at: Focus, bake: Bake, progress: Progress = silent, cancel: CancelToken | None = None
    ) -> tuple[Plane, Baked]:
        """A bake of the sheet as a data plane. Raises UserError without a mesh, or Cancelled."""
        found = self.on_sheet(at)
        if found is None:
            raise UserError("There is no mesh with UVs on this sheet to bake from; open one in Source.")
        key = self.bake_key(at, bake)

        def make() -> Baked:
            from even_palette.core.mesh.bake import make_bake

            ground = self._ground(at, found, bake)
            kind = bakes()[bake.kind]
            return make_bake(kind, ground, bake.values, bake.size, bake.padding, bake.samples, progress, cancel)

        baked = self.cache.get_lasting(Baked, ("bake", key), make)
        return self._as_plane(key, baked), baked

    def _ground(self, at: Focus, found: SheetMesh, bake: Bake) -> Ground:
        from even_palette.core.mesh.bakes._declare import Ground

        colours = np.array([*(region.id_colour for region in at.sheet.regions), (0, 0, 0)], dtype=np.uint8)
        ground = Ground(found.mesh, found.uv, colours[self.face_regions(at)], self.roots(at))
        reference = next((file for file in at.kit.meshes if file.reference), None)
        if bake.kind == "transfer" and reference is not None:
            ground.other = self.file(reference)
            ground.other_colours = reference_colours(ground.other, str(bake.values.get("by", "slots")))[0]
        if bake.kind == LIT:
            ground.light = self.light.made(at, bake) if self.light else None
        return ground


def reference_colours(mesh: Mesh, by: str) -> tuple[Levels, list[tuple[str, tuple[int, int, int]]]]:
    """The ID colour of each face (F, 3) uint8 by its slot or vertex colour, and the names with their colours.

    Black stands for nothing found, so a black vertex colour becomes (1, 1, 1).
    """
    from even_palette.core.mesh.elements import elements
    from even_palette.core.mesh.hashing import number_colours

    kind = ElementKind.COLOUR if by == "colours" else ElementKind.SLOT
    groups = elements(mesh, kind)
    colours = number_colours(groups.count)
    if by == "colours" and mesh.colours is not None:
        for number, name in enumerate(groups.names):
            colours[number] = [max(1, int(name[i : i + 2], 16)) if name == "#000000" else int(name[i : i + 2], 16)
                               for i in (1, 3, 5)]  # fmt: skip
    named = [(groups.name(n), (int(c[0]), int(c[1]), int(c[2]))) for n, c in enumerate(colours)]
    return colours[groups.labels], named


def write_with_ids(kit: Kit, meshes: Meshes, key: str, path: Path) -> None:
    """Write a mesh of the kit as GLB or PLY, by the suffix, with its regions' ID colours as vertex colours.

    In metres, y up; faces of no region are black. Raises UserError, naming the file.
    """
    from even_palette.core.mesh.files.gltf import write_glb
    from even_palette.core.mesh.files.ply import write_ply

    if path.suffix.lower() not in (".glb", ".ply"):
        raise UserError(f"{path.name}: this kind of mesh is not written; use .glb or .ply.")
    refuse_sources(path, [Path(file.path) for file in kit.files])
    mesh, stored = meshes.file(kit.mesh(key)), kit.mesh(key).faces
    colours = {region.key: region.id_colour for region in kit.regions}
    table = np.array([*(colours.get(name, (0, 0, 0)) for name in stored.regions), (0, 0, 0)], dtype=np.uint8)
    try:
        write = write_glb if path.suffix.lower() == ".glb" else write_ply
        write(path, mesh, table[unpack_faces(stored, mesh.face_count)])
    except OSError as error:
        raise UserError(f"{path}: cannot be written ({reason(error)}).") from error


@lru_cache(maxsize=256)
def _name_of_faces(faces: FaceRegions) -> str:
    return hashlib.sha256(repr((faces.count, faces.regions)).encode() + faces.packed).hexdigest()


def _slots_on(mesh: Mesh, file: MeshFile, sheet: str) -> Bools:
    return np.array([file.slots.get(name, file.sheet) == sheet for name in mesh.slots], dtype=bool)


def _turned(vectors: Floats) -> Floats:
    """From z up to y up: (x, y, z) to (x, z, -y)."""
    return float32(np.stack([vectors[..., 0], vectors[..., 2], -vectors[..., 1]], axis=-1))
