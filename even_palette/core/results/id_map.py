"""The ID map of a sheet, a file or a bake: its colours, what it is unmixed to, and the size that masks have by it."""

import numpy as np

from even_palette.core.arrays import Samples
from even_palette.core.jobs import CancelToken
from even_palette.core.kit.model import Focus
from even_palette.core.kit.sheet import Bake, Region, Source
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.regions.id_colours import IdColours, list_id_colours
from even_palette.core.regions.keying import distance_counts
from even_palette.core.regions.unmix import Unmixed, unmix
from even_palette.core.results.bakes import bake_name, bake_of
from even_palette.core.results.file_names import name_of
from even_palette.core.results.maps import plane_of_map, size_of_map
from even_palette.core.results.sheet_mesh import mesh_on_sheet
from even_palette.core.results.store import Store

MESH_SIDE = 1024
LIKE, LIKE_LOSSY = 8, 32
"""Within how many levels (Chebyshev) an ID colour means a pure colour of the map, from clean files and lossy ones."""


def _id_map(at: Focus, store: Store) -> Source | Bake | None:
    """What serves as ID map: a file, or a bake where there is a mesh to make it from."""
    if source := at.sheet.source(Role.ID):
        return source
    there = at.sheet.id_bake and mesh_on_sheet(at, store) is not None
    return at.sheet.bake(at.sheet.id_bake) if there else None


def id_name_of(at: Focus, store: Store) -> str:
    """Names what serves as ID map by what the kit says alone; "" for nothing."""
    found = _id_map(at, store)
    if found is None:
        return ""
    return name_of(found) if isinstance(found, Source) else bake_name(at, store, found)


def id_levels_of(at: Focus, store: Store) -> Plane | None:
    """The ID map in 8 bits, if there is one: a file, or the bake that serves as one."""
    found = _id_map(at, store)
    if found is None:
        return None
    plane = plane_of_map(found, store) if isinstance(found, Source) else bake_of(at, store, found)[0]
    if plane.samples.dtype == np.uint8:
        return plane
    key = ("levels", plane.content_id)
    return store.cache.get(key, lambda: Plane(plane.levels8(), Encoding.DATA, plane.content_id))


def id_colours_of(at: Focus, store: Store) -> IdColours:
    """The ID colours of a sheet's ID map with their counts; none without a map."""

    def compute() -> IdColours:
        plane = id_levels_of(at, store)
        return list_id_colours(plane.samples) if plane else IdColours((), 0)

    return store.cache.get(("id colours", id_name_of(at, store)), compute)


def known_id_colours(at: Focus, store: Store) -> IdColours | None:
    """The ID colours if they were listed already."""
    name = id_name_of(at, store)
    return store.cache.peek(("id colours", name)) if name else IdColours((), 0)


def id_distances_of(at: Focus, store: Store, region: Region) -> Samples | None:
    """How many texels of the ID map are how far from a region's ID colour, (256,); None without a map."""
    if not id_name_of(at, store):
        return None

    def compute() -> Samples:
        plane = id_levels_of(at, store)
        assert plane is not None
        return distance_counts(plane.samples, region.id_colour, region.metric)

    return store.cache.get(("id distances", id_name_of(at, store), region.id_colour, region.metric), compute)


def unmixed_of(at: Focus, store: Store, plane: Plane, cancel: CancelToken | None = None) -> tuple[Unmixed, str]:
    """The ID map in 8 bits of a sheet that is set to that, unmixed, and its name. Raises Cancelled."""
    how = at.sheet.unmix
    assert how is not None
    listed = id_colours_of(at, store)
    known = np.array([colour.levels for colour in listed.colours], dtype=np.int16).reshape(-1, 3)
    wanted = dict.fromkeys(colour for region in at.sheet.regions for colour in region.id_colours)
    others = tuple(
        colour for colour in wanted
        if not how.lossy and (np.abs(known - np.array(colour)).max(axis=1) > LIKE).all()
    )  # fmt: skip
    kept = tuple(colour for colour in listed.colours if colour.levels not in how.dissolved)
    key = ("unmixed", plane.content_id, how, others)
    made = store.cache.get(key, lambda: unmix(plane.samples, IdColours(kept, 0), others, how.mixing, how.lossy, cancel))
    return made, repr(key)


def mask_size_of(at: Focus, store: Store) -> tuple[int, int]:
    """Width and height of the masks of the sheet: those of its ID map, else as the sheet says, else of its base colour.

    A plain base colour, whose size says nothing of what is on it, has masks of 1024 texels at the least.
    """
    found, base = _id_map(at, store), at.sheet.source(Role.BASE_COLOUR)
    if found is not None:
        return (found.size, found.size) if isinstance(found, Bake) else size_of_map(found, store)
    width, height = size_of_map(base, store) if base else (MESH_SIDE, MESH_SIDE)
    least = MESH_SIDE if base is not None and base.plain is not None else 0
    side = at.sheet.mask_side or max(width, least)
    return side, max(1, round(side * height / width))


def has_masks(at: Focus, store: Store) -> bool:
    """Whether there is anything that regions of the sheet can be made of."""
    made = any(region.boxes or region.steps for region in at.sheet.regions)
    return made or at.sheet.source(Role.ID) is not None or mesh_on_sheet(at, store) is not None
