"""The bakes of a sheet: each is named by what it says that it reads, and made of that alone."""

import hashlib
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken, Progress, silent
from even_palette.core.kit.mesh_file import MeshFile
from even_palette.core.kit.model import Focus
from even_palette.core.kit.sheet import Bake
from even_palette.core.mesh.baked import Baked
from even_palette.core.mesh.bakes import BAKES
from even_palette.core.mesh.bakes._declare import Ground, Reads
from even_palette.core.raster.plane import Plane
from even_palette.core.raster.tiles import TiledPlane, grid_of
from even_palette.core.results.around import around_name, give_around
from even_palette.core.results.file_names import name_of
from even_palette.core.results.sheet_mesh import (
    SheetMesh,
    faces_name,
    mesh_of_file,
    mesh_on_sheet,
    reference_colours,
    regions_of_faces,
    roots_of,
)
from even_palette.core.results.store import Store


@dataclass(frozen=True)
class _Part:
    """What a bake may read: how it is named, and how the ground that the bake is made from gets it."""

    name: Callable[[Focus, Store, Bake], object]
    give: Callable[[Focus, Store, Bake, Ground], None]


def _regions_name(at: Focus, store: Store, bake: Bake) -> object:
    return faces_name(at), [(region.key, region.id_colour) for region in at.sheet.regions]


def _give_regions(at: Focus, store: Store, bake: Bake, ground: Ground) -> None:
    colours = np.array([*(region.id_colour for region in at.sheet.regions), (0, 0, 0)], dtype=np.uint8)
    ground.face_colours = colours[regions_of_faces(at, store)]


def _roots_name(at: Focus, store: Store, bake: Bake) -> object:
    return [file.roots for file in at.kit.meshes]


def _give_roots(at: Focus, store: Store, bake: Bake, ground: Ground) -> None:
    ground.roots = roots_of(at, store)


def _reference(at: Focus) -> MeshFile | None:
    return next((file for file in at.kit.meshes if file.reference), None)


def _other_name(at: Focus, store: Store, bake: Bake) -> object:
    file = _reference(at)
    return (name_of(file), file.unit, file.up, file.unwrap) if file else ()


def _give_other(at: Focus, store: Store, bake: Bake, ground: Ground) -> None:
    if file := _reference(at):
        ground.other = mesh_of_file(file, store)
        ground.other_colours = reference_colours(ground.other, str(bake.values.get("by", "slots")))[0]


def _light_name(at: Focus, store: Store, bake: Bake) -> object:
    return store.light.key(at, store, bake) if store.light else ()


def _give_light(at: Focus, store: Store, bake: Bake, ground: Ground) -> None:
    ground.light = store.light.made(at, store, bake) if store.light else None


PARTS = {
    Reads.REGIONS: _Part(_regions_name, _give_regions),
    Reads.ROOTS: _Part(_roots_name, _give_roots),
    Reads.OTHER: _Part(_other_name, _give_other),
    Reads.LIGHT: _Part(_light_name, _give_light),
    Reads.AROUND: _Part(around_name, give_around),
}


def bake_name(at: Focus, store: Store, bake: Bake) -> str:
    """Names a bake by the mesh, its settings and what its kind reads beside."""
    return _name(at, store, bake, mesh_on_sheet(at, store))


def _name(at: Focus, store: Store, bake: Bake, found: SheetMesh | None) -> str:
    read = [PARTS[what].name(at, store, bake) for what in sorted(BAKES[bake.kind].reads)]
    told = [found.content_id if found else "", bake.kind, bake.size, bake.padding, bake.samples,
            sorted(bake.values.items()), read]  # fmt: skip
    return hashlib.sha256(repr(told).encode()).hexdigest()


def known_bake(at: Focus, store: Store, bake: Bake) -> Baked | None:
    """The bake if it was made already."""
    return store.cache.peek(("bake", bake_name(at, store, bake)))


def known_bake_plane(at: Focus, store: Store, bake: Bake) -> Plane | None:
    """The bake as a plane if it was made already."""
    name = bake_name(at, store, bake)
    known: Baked | None = store.cache.peek(("bake", name))
    return _as_plane(store, name, known) if known else None


def bake_of(
    at: Focus, store: Store, bake: Bake, progress: Progress = silent, cancel: CancelToken | None = None
) -> tuple[Plane, Baked]:
    """A bake of the sheet as a data plane. Raises UserError without a mesh, or Cancelled."""
    found = mesh_on_sheet(at, store)
    if found is None:
        raise UserError("There is no mesh with UVs on this sheet to bake from; open one in Source.")
    name, kind = _name(at, store, bake, found), BAKES[bake.kind]

    def make() -> Baked:
        from even_palette.core.mesh.bake import make_bake

        ground = Ground(found.mesh, found.uv)
        for what in kind.reads:
            PARTS[what].give(at, store, bake, ground)
        return make_bake(kind, ground, bake.values, bake.size, bake.padding, bake.samples, progress, cancel)

    baked = store.cache.get_lasting(Baked, ("bake", name), make)
    return _as_plane(store, name, baked), baked


def _as_plane(store: Store, name: str, baked: Baked) -> Plane:
    """The bake as tiles, so that equal parts of bakes have equal names."""
    return store.cache.get(("bake plane", name), lambda: TiledPlane(grid_of(baked.samples)))
