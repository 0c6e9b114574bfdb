"""ID colours as they are looked at."""

import numpy as np

from even_palette.core.arrays import float32
from even_palette.core.kit.model import Focus
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Plane
from even_palette.core.raster.tiles import TiledPlane, grid_of
from even_palette.core.results.claims import claims_of
from even_palette.core.results.footprints import footprint_of
from even_palette.core.results.id_map import has_masks, id_levels_of
from even_palette.core.results.store import Store
from even_palette.core.results.weights import weights_name

UNCLAIMED = 88


def shown_ids_of(at: Focus, store: Store) -> Plane | None:
    """ID colours for looking at, (H, W, 3 or 4) uint8; None if there is neither map, mesh nor box.

    The ID map where there is one, else as faces and boxes claim the texels, with edges mixed. Texels of the mesh
    that belong to no region, or for which another mesh had no ID, are grey, so that they can be seen.
    """
    if at.sheet.source(Role.ID):
        return id_levels_of(at, store)
    baked = id_levels_of(at, store)
    if baked is None and not has_masks(at, store):
        return None
    colours = tuple(region.id_colour for region in at.sheet.regions)
    key = ("shown ids", baked.content_id if baked else "", weights_name(at, store), colours)

    def compute() -> Plane:
        if baked is not None:
            shown = baked.samples.copy()
            free = ~shown.any(axis=-1)
        else:
            leaf = claims_of(at, store)
            masks, index = float32(leaf.masks) / np.float32(65535), leaf.index
            shares = masks / np.maximum(1, masks.sum(axis=0))
            mixed = shares.T @ np.array(colours, dtype=np.float32).reshape(-1, 3)
            shown = np.asarray(mixed + 0.5, dtype=np.uint8)[index]
            free = (masks.max(axis=0, initial=0) == 0)[index]
        seen = footprint_of(at, store, shown.shape[1], shown.shape[0])
        if seen is not None:
            shown[seen.covered & free] = UNCLAIMED
        return TiledPlane(grid_of(shown))

    return store.cache.get(key, compute)
