"""Weights in the form in which they last on disk, so that a kit that is opened again needs nothing made anew."""

from dataclasses import dataclass

import numpy as np

from even_palette.core.arrays import Levels, Samples
from even_palette.core.jobs import CancelToken, Progress, silent
from even_palette.core.kit.model import Focus
from even_palette.core.raster.tiles import Grid, TiledPlane, make_tile, spots
from even_palette.core.regions.weights import Coverage
from even_palette.core.results.store import Store
from even_palette.core.results.weights import SheetWeights, make_weights, weights_name


@dataclass(frozen=True)
class KeptWeights:
    """The tiles of P planes (RGBA) and of the sum: which are of one value (P + 1, T), the values, all other texels.

    `texels` (n,) uint8 and `sums` (m,) uint16 hold the tiles of more than one value one behind the other.
    """

    even: Levels
    values: Levels
    texels: Levels
    sum_values: Samples
    sums: Samples
    count: int
    height: int
    width: int
    covered: float
    over: float
    empty: float


def lasting_weights_of(
    at: Focus, store: Store, progress: Progress = silent, cancel: CancelToken | None = None
) -> SheetWeights:
    """The weights of a sheet as `weights_of` gives them, looked for on the disk and kept there. Raises Cancelled.

    They are, once a kit is opened, not with each of its edits.
    """
    name = weights_name(at, store)

    def find_or_make() -> SheetWeights:
        made: list[SheetWeights] = []

        def compute() -> KeptWeights:
            made.append(make_weights(at, store, progress, cancel))
            return take_apart(made[0])

        kept = store.cache.disk.get(KeptWeights, name, compute)
        return made[0] if made else put_together(kept)

    return store.cache.get(name, find_or_make)


def take_apart(weights: SheetWeights) -> KeptWeights:
    """The form for the disk."""
    grids = [plane.grid for plane in (*weights.packed, weights.mask_sum)]
    even = np.array([[tile.is_constant for tile in grid.tiles] for grid in grids], dtype=np.uint8)

    def rest(grids: list[Grid], dtype: type) -> Samples:
        parts = [tile.samples.ravel() for grid in grids for tile in grid.tiles if not tile.is_constant]
        return np.concatenate([np.zeros(0, dtype), *parts])

    seen = weights.coverage
    return KeptWeights(
        even,
        np.array([[tile.samples[0, 0] for tile in grid.tiles] for grid in grids[:-1]], dtype=np.uint8),
        rest(grids[:-1], np.uint8),
        np.array([tile.samples[0, 0] for tile in grids[-1].tiles], dtype=np.uint16),
        rest(grids[-1:], np.uint16),
        weights.count,
        weights.mask_sum.height,
        weights.mask_sum.width,
        seen.covered,
        seen.over,
        seen.empty,
    )


def put_together(kept: KeptWeights) -> SheetWeights:
    """The weights of the form for the disk, tile for tile as they were."""
    places = list(spots(kept.height, kept.width))

    def plane(even: Levels, values: Samples, texels: Samples, first: int) -> tuple[TiledPlane, int]:
        tiles, at, channels = [], first, values.shape[-1]
        for number, spot in enumerate(places):
            shape = (*spot.shape, channels)
            if even[number]:
                tiles.append(make_tile(np.broadcast_to(values[number], shape)))
            else:
                size = int(np.prod(shape))
                tiles.append(make_tile(texels[at : at + size].reshape(shape)))
                at += size
        return TiledPlane(Grid(kept.height, kept.width, tuple(tiles))), at

    packed, at = [], 0
    for even, values in zip(kept.even[:-1], kept.values, strict=True):
        made, at = plane(even, values, kept.texels, at)
        packed.append(made)
    mask_sum, _ = plane(kept.even[-1], kept.sum_values, kept.sums, 0)
    return SheetWeights(kept.count, tuple(packed), mask_sum, Coverage(kept.covered, kept.over, kept.empty))
