"""The mean paint of each region, summed up by tiles, so that an edit sums up only what it changed."""

import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.jobs import CancelToken
from even_palette.core.kit.model import Focus
from even_palette.core.raster.plane import Plane, rgb_of
from even_palette.core.raster.sampling import texels_beside
from even_palette.core.raster.tiles import TILE, Grid, Spot, each_tile
from even_palette.core.results.base_colour import base_colour_of
from even_palette.core.results.cache import Cache
from even_palette.core.results.maps import GREY
from even_palette.core.results.store import Store
from even_palette.core.results.weights import SheetWeights, weights_of


def means_of(at: Focus, store: Store, cancel: CancelToken | None = None) -> Floats:
    """The mean of the linear base colour in each region, weighted by the shipped weights; (R, 3)."""
    weights, base = weights_of(at, store), base_colour_of(at, store)
    grey = GREY.linear()[0, 0]
    key = ("means", base.content_id, weights.content_id)
    return store.cache.get_lasting(np.ndarray, key, lambda: region_means(base, weights, store.cache, grey, cancel))


def region_means(
    base: Plane, weights: SheetWeights, cache: Cache, nothing: Floats, cancel: CancelToken | None = None
) -> Floats:
    """The mean of the linear base colour in each region, weighted by the shipped weights, (R, 3).

    Weights of another size are sampled at the base colour's texels, linearly. `nothing` stands for a region without
    texels. Raises Cancelled.
    """
    if not weights.count:
        return np.zeros((0, 3), dtype=np.float32)
    grids = [plane.grid for plane in weights.packed]

    def sums(spot: Spot) -> Samples:
        windows = [_Window(grid, spot, base.height, base.width) for grid in grids]
        key = ("paint sums", base.content_id, spot.down, spot.across, tuple(window.names for window in windows))

        def compute() -> Samples:
            paint = base.samples[spot.top : spot.bottom, spot.left : spot.right]
            colours = float32(rgb_of(Plane(paint, base.encoding).linear())).reshape(-1, 3)
            wide = np.concatenate([colours, np.ones((len(colours), 1), np.float32)], axis=1)
            shares = np.concatenate([window.values().reshape(-1, 4) for window in windows], axis=1)
            return np.asarray(shares.T.astype(np.float64) @ wide)

        return cache.get(key, compute)

    total = np.sum(each_tile(base.height, base.width, sums, cancel), axis=0)[: weights.count]
    seen = total[:, 3:] > 0
    return float32(np.where(seen, total[:, :3] / np.maximum(total[:, 3:], 1e-12), nothing))


class _Window:
    """The part of a grid of weights that a tile of another plane's texels looks at, and how they lie in it."""

    def __init__(self, grid: Grid, spot: Spot, height: int, width: int) -> None:
        self.grid = grid
        self._down = texels_beside(spot.top, spot.bottom, height, grid.height)
        self._across = texels_beside(spot.left, spot.right, width, grid.width)
        (first, second, _), (left, right, _) = self._down, self._across
        self._box = (int(first[0]), int(left[0]), int(second[-1]) + 1, int(right[-1]) + 1)
        top, left_most, bottom, right_most = self._box
        tiles = [
            grid.at(down, across)
            for down in range(top // TILE, (bottom - 1) // TILE + 1)
            for across in range(left_most // TILE, (right_most - 1) // TILE + 1)
        ]
        self.names = tuple(tile.name for tile in tiles if tile)

    def values(self) -> Floats:
        """The weights at the texels, (h, w, 4) float32, 0..255."""
        top, left, *_ = self._box
        part = self.grid.cut(*self._box)
        (r0, r1, down), (c0, c1, across) = self._down, self._across
        if not down.any() and not across.any():
            return float32(part[np.ix_(r0 - top, c0 - left)])
        rows = float32(part[r0 - top]) * (1 - down)[:, None, None] + float32(part[r1 - top]) * down[:, None, None]
        return float32(rows[:, c0 - left] * (1 - across)[:, None] + rows[:, c1 - left] * across[:, None])
