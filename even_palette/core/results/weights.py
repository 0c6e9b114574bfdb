"""Weights of a sheet by tiles: overlaps of the masks resolved, as they are shipped, in 8 bits."""

import hashlib
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from even_palette.core.arrays import Floats, Levels, Samples, float32
from even_palette.core.jobs import CancelToken, Progress, silent
from even_palette.core.kit.model import Focus
from even_palette.core.limits import MOST_STEPS
from even_palette.core.raster.tiles import TILE, Grid, Spot, Tile, TiledPlane, each_tile, make_tile
from even_palette.core.regions.packing import REGIONS_A_PLANE, plane_and_channel
from even_palette.core.regions.weights import Coverage, Resolve, quantize_weights, resolve_weights
from even_palette.core.results.claims import claims_of
from even_palette.core.results.mask_names import acting, mask_names_of
from even_palette.core.results.masks import masks_of
from even_palette.core.results.store import Store

MOST_MASK_SUM = 4
"""The largest sum of masks that is told; the sum is kept as a share of it."""


@dataclass(frozen=True)
class SheetWeights:
    """Weights as they are shipped, the sum of the masks before overlaps were resolved, and coverage.

    `packed` are the planes (H, W, 4) uint8 that hold the weights, four regions each; `mask_sum` (H, W, 1) uint16 holds
    a quarter of the sum, so that sums up to 4 fit.
    """

    count: int
    packed: tuple[TiledPlane, ...]
    mask_sum: TiledPlane
    coverage: Coverage

    @property
    def content_id(self) -> str:
        """Names the weights by their bytes, and by how many there are: one that is 0 everywhere changes no byte."""
        return "+".join([str(self.count), *(plane.content_id for plane in self.packed)])

    @property
    def levels(self) -> list[Levels]:
        """The weights (H, W) uint8 of each region; puts whole planes together."""
        planes = [plane.samples for plane in self.packed]
        places = map(plane_and_channel, range(self.count))
        return [planes[plane][..., channel] for plane, channel in places]

    @cached_property
    def areas(self) -> tuple[float, ...]:
        """The share of the sheet that each region has, 0..1; adds up what the tiles know of themselves."""
        texels = self.mask_sum.height * self.mask_sum.width * 255
        sums = [np.sum([tile.sums for tile in plane.grid.tiles], axis=0) / texels for plane in self.packed]
        places = map(plane_and_channel, range(self.count))
        return tuple(float(sums[plane][channel]) for plane, channel in places)

    def picked(self, rows: Samples, columns: Samples) -> list[Levels]:
        """The weights where rows (n,) and columns (m,) cross, both in rising order; (n, m) uint8 of each region."""
        planes = [plane.grid.pick(rows, columns) for plane in self.packed]
        places = map(plane_and_channel, range(self.count))
        return [planes[plane][..., channel] for plane, channel in places]

    def at(self, row: int, column: int) -> tuple[float, ...]:
        """The weights of all regions at a texel, 0..1."""
        here = (np.array([row]), np.array([column]))
        texels = [plane.fetch(*here)[0] for plane in self.packed]
        places = map(plane_and_channel, range(self.count))
        return tuple(float(texels[plane][channel]) for plane, channel in places)


def weights_name(at: Focus, store: Store) -> tuple[object, ...]:
    """Names the weights of a sheet by what they are made of."""
    return store.named(at, _put_name_together)


def _put_name_together(at: Focus, store: Store) -> tuple[object, ...]:
    names = mask_names_of(at, store)
    locks = tuple(region.locked for region in at.sheet.regions)
    return ("weights", names.claims, names.steps, at.sheet.resolve, locks)


@dataclass(frozen=True)
class _Made:
    """A tile of all weights: packed tiles, the tile of the sum, and texels covered, over and empty."""

    packed: tuple[Tile, ...]
    total: Tile
    counts: tuple[int, int, int]


def weights_of(at: Focus, store: Store, progress: Progress = silent, cancel: CancelToken | None = None) -> SheetWeights:
    """The weights of a sheet as they are shipped, in 8 bits. Raises Cancelled."""
    return store.cache.get(weights_name(at, store), lambda: make_weights(at, store, progress, cancel))


def make_weights(at: Focus, store: Store, progress: Progress, cancel: CancelToken | None) -> SheetWeights:
    """The weights made now: looked up by class, or with steps resolved texel by texel."""
    claims = claims_of(at, store, progress, cancel)
    regions = at.sheet.regions
    height, width = claims.index.shape
    locks = [region.locked for region in regions]
    stepped = [number for number, region in enumerate(regions) if acting(region) or number in claims.chosen]
    masks = masks_of(at, store, [(regions[number].key, MOST_STEPS) for number in stepped], lambda: claims, cancel)
    grids = {number: mask.grid for number, mask in zip(stepped, masks, strict=True)}
    table = quantize_weights(
        resolve_weights(float32(claims.masks[:, None]) / np.float32(65535), at.sheet.resolve, locks)
    )[:, 0]
    total = (float32(claims.masks) / np.float32(65535)).sum(axis=0, dtype=np.float32)
    quarter = np.asarray(np.minimum(total / MOST_MASK_SUM, 1) * np.float32(65535) + np.float32(0.5), dtype=np.uint16)
    across, done = -(-width // TILE), [0]
    count = across * -(-height // TILE)

    def make(spot: Spot) -> _Made:
        done[0] += 1
        progress(done[0] / count, "Weights")
        there = claims.present[spot.down * across + spot.across]
        cut = (slice(spot.top, spot.bottom), slice(spot.left, spot.right))
        tiles = [grids[number].tiles[spot.down * across + spot.across] for number in stepped]
        digest = hashlib.blake2b(claims.masks[:, there].tobytes(), digest_size=16).digest()
        own = tuple(tile.name for tile in tiles)
        key = (
            "weights tile",
            claims.name,
            spot.down,
            spot.across,
            digest,
            at.sheet.resolve,
            tuple(locks),
            tuple(stepped),
            own,
        )
        if not stepped:
            return store.cache.get(key, lambda: _by_class(claims.index[cut], table, total, quarter, there))

        def compute() -> _Made:
            """Only regions that are on the tile are resolved; a tile of one value as one texel."""
            found = dict(zip(stepped, tiles, strict=True))
            acts = [
                number for number in range(len(regions))
                if (found[number].samples.any() if number in found else claims.masks[number, there].any())
            ]  # fmt: skip
            even = all(found[number].is_constant if number in found else len(there) == 1 for number in acts)
            size = (1, 1) if even else spot.shape
            masks = np.empty((len(acts), *size), dtype=np.uint16)
            index = claims.index[cut][: size[0], : size[1]]
            for row, number in enumerate(acts):
                tile = found.get(number)
                own = tile.samples[: size[0], : size[1], 0] if tile else claims.masks[number, index]
                masks[row] = own
            return _by_texel(
                masks, at.sheet.resolve, [locks[number] for number in acts], acts, len(regions), spot.shape
            )

        return store.cache.get(key, compute)

    made = each_tile(height, width, make, cancel)
    planes = -(-len(regions) // REGIONS_A_PLANE)
    covered, over, empty = (sum(tile.counts[k] for tile in made) / (height * width) for k in range(3))
    return SheetWeights(
        len(regions),
        tuple(TiledPlane(Grid(height, width, tuple(tile.packed[p] for tile in made))) for p in range(planes)),
        TiledPlane(Grid(height, width, tuple(tile.total for tile in made))),
        Coverage(covered, over, empty),
    )


def _by_class(index: Samples, table: Levels, total: Floats, quarter: Samples, there: Samples) -> _Made:
    packed = []
    for first in range(0, len(table), REGIONS_A_PLANE):
        texels = np.zeros((table.shape[1], REGIONS_A_PLANE), dtype=np.uint8)
        texels[:, : len(table) - first] = table[first : first + REGIONS_A_PLANE].T
        one = (texels[there] == texels[there[0]]).all()
        packed.append(make_tile(np.broadcast_to(texels[there[0]], (*index.shape, 4)) if one else texels[index]))
    texels_of = np.bincount(index.ravel(), minlength=len(total))
    step = np.float32(1 / 255)
    chosen = (total >= 1 - step, total > 1 + step, total < step)
    covered, over, empty = (int(texels_of[which].sum()) for which in chosen)
    return _Made(tuple(packed), make_tile(quarter[index][..., None]), (covered, over, empty))


def _by_texel(
    masks: Samples, resolve: Resolve, locks: list[bool], acts: list[int], count: int, shape: tuple[int, int]
) -> _Made:
    """The tile from the masks (A, h, w) of those of `count` regions that act on it, or (A, 1, 1) for all its texels."""
    from even_palette.core.regions.resolve_kernel import resolve_tile

    levels, quarter, counts = resolve_tile(masks, resolve == Resolve.ORDER, locks)
    packed = []
    for first in range(0, count, REGIONS_A_PLANE):
        texels = np.zeros((*masks.shape[1:], REGIONS_A_PLANE), dtype=np.uint8)
        for level, number in zip(levels, acts, strict=True):
            if first <= number < first + REGIONS_A_PLANE:
                texels[..., number - first] = level
        packed.append(make_tile(np.broadcast_to(texels, (*shape, REGIONS_A_PLANE))))
    share = shape[0] * shape[1] // (masks.shape[1] * masks.shape[2])
    covered, over, empty = (int(number) * share for number in counts)
    return _Made(tuple(packed), make_tile(np.broadcast_to(quarter[..., None], (*shape, 1))), (covered, over, empty))
