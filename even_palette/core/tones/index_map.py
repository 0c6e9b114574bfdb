"""Index maps: which entry of a palette each texel shows, and how that is stored in 8 bits."""

from enum import StrEnum
from functools import cache

import numpy as np

from even_palette.core.arrays import Floats, Levels, Samples, float32
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken
from even_palette.core.raster.plane import decode_levels
from even_palette.core.tones.colours import ALL_COLOURS, codes_of, levels_of, to_oklab

BAYER = 8


class Dither(StrEnum):
    """How colours between two entries are shown."""

    NONE = "none"
    ORDERED = "ordered"
    DIFFUSED = "diffused"


class Stored(StrEnum):
    """How an index map from elsewhere stores its numbers."""

    ONE_TO_ONE = "one to one"
    SPREAD = "spread"
    LEVELS = "levels"


def index_map(rgb: Levels, entries: Levels, dither: Dither = Dither.NONE, cancel: CancelToken | None = None) -> Levels:
    """The number of the entry, of (n, 3) uint8, that each texel of rgb (H, W, 3) shows; (H, W) uint8.

    Nearest in OKLab, the first of equals. Ordered dither uses an 8 x 8 Bayer matrix (1973) on the step between the two
    nearest entries; diffusion passes errors on in linear light (Floyd and Steinberg 1976). Raises Cancelled.
    """
    from even_palette.core.tones.nearest import diffuse, nearest_entries

    if dither == Dither.DIFFUSED:
        out = np.empty(rgb.shape[:2], dtype=np.uint8)
        diffuse(rgb, linear_table(), float32(linear_table()[entries]), _by_lab(entries), out)
        return out
    codes = codes_of(rgb)
    seen = np.zeros(ALL_COLOURS, dtype=bool)
    seen[codes.ravel()] = True
    different = np.flatnonzero(seen)
    lab, known = to_oklab(levels_of(different)), to_oklab(entries)
    which, _ = nearest_entries(lab, known, cancel=cancel)
    table = np.zeros(ALL_COLOURS, dtype=np.uint8)
    table[different] = which
    if dither == Dither.NONE or len(entries) < 2:
        return table[codes]
    second = _second(lab, known, which)
    light, shown = linear_table()[levels_of(different)], linear_table()[entries]
    line = shown[second] - shown[which]
    share = np.clip(((light - shown[which]) * line).sum(-1) / np.maximum((line * line).sum(-1), 1e-12), 0, 1)
    other, part = np.zeros(ALL_COLOURS, dtype=np.uint8), np.zeros(ALL_COLOURS, dtype=np.float32)
    other[different], part[different] = second, share
    height, width = codes.shape
    wall = np.tile(_bayer(), (-(-height // BAYER), -(-width // BAYER)))[:height, :width]
    return np.where(wall < part[codes], other[codes], table[codes])


def _second(lab: Floats, known: Floats, which: Samples) -> Samples:
    """The entry beyond the nearest one, seen from each colour: the one in whose mixes with it the colour lies best."""
    best, found = np.full(len(lab), np.inf), which.copy()
    rest = lab - known[which]
    for entry in range(len(known)):
        line = known[entry] - known[which]
        length = np.maximum((line * line).sum(-1), 1e-12)
        share = np.clip((rest * line).sum(-1) / length, 0, 0.5)
        missed = np.square(rest - line * share[:, None]).sum(-1) + 0.02 * length
        better = (missed < best) & (which != entry)
        best[better], found[better] = missed[better], entry
    return found


@cache
def _bayer() -> Floats:
    """Thresholds (8, 8) between 0 and 1, each once."""
    wall = np.zeros((1, 1))
    while len(wall) < BAYER:
        wall = np.block([[4 * wall, 4 * wall + 2], [4 * wall + 3, 4 * wall + 1]])
    return float32((wall + 0.5) / BAYER**2)


@cache
def linear_table() -> Floats:
    """Linear light of each level, (256,)."""
    return decode_levels(np.arange(256, dtype=np.uint8))


GRID = 64


def _by_lab(entries: Levels) -> Levels:
    """The nearest entry of colours on a grid over encoded RGB, (64, 64, 64) uint8."""
    from even_palette.core.tones.nearest import nearest_entries

    axis = np.linspace(0, 255, GRID).round().astype(np.uint8)
    cube = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 3)
    which, _ = nearest_entries(to_oklab(cube), to_oklab(entries))
    return which.astype(np.uint8).reshape(GRID, GRID, GRID)


def stored_levels(count: int) -> Levels:
    """The level by which each of `count` entries is stored: round(255 i / (count - 1)); (count,) uint8."""
    if count == 1:
        return np.zeros(1, dtype=np.uint8)
    return np.asarray(np.floor(255 * np.arange(count) / (count - 1) + 0.5), dtype=np.uint8)


def read_indices(levels: Levels, count: int, stored: Stored | None = None) -> tuple[Levels, Stored]:
    """The numbers of entries in an index map from elsewhere, (H, W) uint8, for a palette of `count` entries.

    One to one, spread over 0..255, or as any few grey levels, the darkest for the first entry; found out where it is
    not said. Raises UserError for levels that are none of that.
    """
    seen = np.flatnonzero(np.bincount(levels.ravel(), minlength=256))
    spread = stored_levels(count)
    if stored is None:
        stored = (
            Stored.SPREAD if np.isin(seen, spread).all() and seen[-1] >= count
            else Stored.ONE_TO_ONE if seen[-1] < count
            else Stored.LEVELS
        )  # fmt: skip
    table = np.zeros(256, dtype=np.uint8)
    match stored:
        case Stored.ONE_TO_ONE:
            good = seen[-1] < count
            table = np.minimum(np.arange(256), count - 1).astype(np.uint8)
        case Stored.SPREAD:
            good = True
            table = np.floor(np.arange(256) * (count - 1) / 255 + 0.5).astype(np.uint8)
        case Stored.LEVELS:
            good = len(seen) <= count
            table[seen] = np.minimum(np.arange(len(seen)), count - 1)
    if not good:
        raise UserError(f"The index map has {len(seen)} levels up to {seen[-1]}; the palette has {count} entries.")
    return table[levels], stored
