"""What stands around the mesh on a sheet where that is baked: other meshes, their cut-outs, and their light."""

from dataclasses import dataclass

import numpy as np

from even_palette.core.arrays import Bools, Floats, Samples
from even_palette.core.kit.model import Focus
from even_palette.core.kit.sheet import Bake
from even_palette.core.material.drawn import ROUNDING, Way
from even_palette.core.mesh.bakes import BAKES
from even_palette.core.mesh.bakes._declare import Caster, Ground, Reads
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import stored_values
from even_palette.core.results.file_names import map_name
from even_palette.core.results.maps import given_plane
from even_palette.core.results.sheet_mesh import mesh_of_file, mesh_on_sheet
from even_palette.core.results.store import Store


@dataclass(frozen=True, eq=False)
class _Stands:
    """Faces that stand around: of which sheet ("" for none), which of its mesh's faces they are, and their names."""

    sheet: str
    name: object
    corners: Floats
    uv: Floats


def around_name(at: Focus, store: Store, bake: Bake) -> object:
    """Names all that stands around, and what of the sheet itself is cut out."""
    stands = _stands(at, store)
    sheets = [each.sheet for each in stands if each.sheet]
    lights = [_light_name(at.kit.at(key), store, bake) for key in sheets]
    return [each.name for each in stands], [_solid_name(at.kit.at(key)) for key in (at.key, *sheets)], lights


def give_around(at: Focus, store: Store, bake: Bake, ground: Ground) -> None:
    """Let rays meet all that stands around, and go through what is cut out."""
    ground.solid = _solid(at, store)
    ground.around = tuple(_caster(at, store, bake, each) for each in _stands(at, store))


def casters_of(at: Focus) -> list[str]:
    """The keys of the meshes that throw something on the mesh of a sheet, beside those that lie on it."""
    own = {file.key for file in at.kit.meshes_on(at.key)}
    return [file.key for file in at.kit.meshes if file.casts and file.key not in own]


def _caster(at: Focus, store: Store, bake: Bake, stands: _Stands) -> Caster:
    if not stands.sheet:
        return Caster(stands.corners, stands.uv)
    other = at.kit.at(stands.sheet)
    lit = Reads.LIGHT in BAKES[bake.kind].reads and store.light is not None
    light = store.light.made(other, store, bake) if lit and store.light else None
    return Caster(stands.corners, stands.uv, _solid(other, store), light)


def _stands(at: Focus, store: Store) -> list[_Stands]:
    """By sheet, the faces that are not on this one: of meshes that cast, and all of those that lie on this one too."""
    own = {file.key for file in at.kit.meshes_on(at.key)}
    casts = own | {file.key for file in at.kit.meshes if file.casts}
    found = []
    for sheet in at.kit.sheets:
        there = mesh_on_sheet(at.kit.at(sheet.key), store) if sheet.key != at.key else None
        if there is None:
            continue
        part = np.concatenate([np.full(len(faces), key in casts) for key, _, faces in there.origins])
        if part.any():
            names = [key for key, _, _ in there.origins if key in casts]
            found.append(_Stands(sheet.key, (there.content_id, names), there.mesh.corners()[part], there.uv[part]))
    for file in at.kit.meshes:
        if file.reference and file.casts:
            mesh = mesh_of_file(file, store)
            nowhere = np.zeros((mesh.face_count, 3, 2), np.float32)
            found.append(_Stands("", mesh.content_id, mesh.corners(), nowhere))
    return found


def _light_name(at: Focus, store: Store, bake: Bake) -> object:
    reads_light = Reads.LIGHT in BAKES[bake.kind].reads
    return store.light.key(at, store, bake) if reads_light and store.light else ()


def _solid_name(at: Focus) -> object:
    given, drawing = at.sheet.given(Role.OPACITY), at.sheet.drawing
    if given is None or drawing.way != Way.CUT_OUT:
        return ()
    return map_name(given.source), repr(given.use), drawing.threshold


def _solid(at: Focus, store: Store) -> Bools | None:
    """Which texels of a sheet there are, (H, W), by what its maps say of opacity; None where nothing is cut out."""
    plane = given_plane(at, Role.OPACITY, store) if _solid_name(at) else None
    if plane is None:
        return None
    threshold = np.float32(at.sheet.drawing.threshold - ROUNDING)

    def cut(samples: Samples) -> Bools:
        return np.asarray(stored_values(samples) >= threshold)

    rows = [cut(plane.samples[first : first + 512, :, 0]) for first in range(0, plane.height, 512)]
    return np.concatenate(rows)
