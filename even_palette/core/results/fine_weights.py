"""Weights of regions in 16 bits, for maps that are written; what ships and what is seen has 8."""

import numpy as np

from even_palette.core.arrays import Samples, float32
from even_palette.core.jobs import CancelToken
from even_palette.core.kit.model import Focus
from even_palette.core.raster.tiles import TILE
from even_palette.core.regions.weights import quantize_weights, resolve_weights
from even_palette.core.results.masks import mask_of
from even_palette.core.results.store import Store


def fine_weights(at: Focus, store: Store, cancel: CancelToken | None = None) -> list[Samples]:
    """The weights (H, W) uint16 of each region; with the base they add up to 65535 at every texel. Raises Cancelled."""
    grids = [mask_of(at, store, region.key).grid for region in at.sheet.regions]
    height, width = grids[0].height, grids[0].width
    locks = [region.locked for region in at.sheet.regions]
    made = [np.empty((height, width), dtype=np.uint16) for _ in grids]
    for top in range(0, height, TILE):
        if cancel:
            cancel.check()
        bottom = min(top + TILE, height)
        masks = np.stack([grid.cut(top, 0, bottom, width)[..., 0] for grid in grids])
        weights = resolve_weights(float32(masks) / np.float32(65535), at.sheet.resolve, locks)
        for whole, band in zip(made, quantize_weights(weights, 65535), strict=True):
            whole[top:bottom] = band
    return made
