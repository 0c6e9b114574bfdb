"""The colours of pictures with how often they occur, which is all that a palette is fitted to."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from even_palette.core.arrays import Floats, Levels, Samples, float32
from even_palette.core.colour.oklab import linear_to_oklab, oklab_to_linear
from even_palette.core.colour.srgb import linear_to_srgb
from even_palette.core.raster.plane import decode_levels, to_levels8

ALL_COLOURS = 1 << 24
FEW_LEVELS = 3 << 20
"""So many levels of pictures are sorted sooner than all colours are counted."""


@dataclass(frozen=True, eq=False)
class Colours:
    """Different colours (n, 3) uint8, encoded, in rising order, with their weights (n,) float64."""

    levels: Levels
    weights: Samples

    @property
    def count(self) -> int:
        """How many different colours there are."""
        return len(self.levels)


def codes_of(rgb: Levels) -> Samples:
    """Each colour (..., 3) uint8 as a whole number below 2^24, red first; (...) int32."""
    wide = rgb.astype(np.int32)
    return np.asarray(wide[..., 0] << 16 | wide[..., 1] << 8 | wide[..., 2])


def levels_of(codes: Samples) -> Levels:
    """The colours of such numbers, (..., 3) uint8."""
    return np.stack([codes >> 16 & 255, codes >> 8 & 255, codes & 255], axis=-1).astype(np.uint8)


def count_colours(pictures: Sequence[Levels], weights: Sequence[Floats | None] = ()) -> Colours:
    """The colours of one or more pictures (H, W, 3) uint8.

    Texels count as `weights` (H, W) say, 0..1, where there are any; colours that weigh nothing are left out.
    """
    if sum(rgb.size for rgb in pictures) < FEW_LEVELS:
        return _count_few(pictures, weights)
    total = np.zeros(ALL_COLOURS)
    for number, rgb in enumerate(pictures):
        weight = weights[number] if number < len(weights) else None
        codes = codes_of(rgb).ravel()
        total += np.bincount(codes, None if weight is None else weight.ravel(), minlength=ALL_COLOURS)
    seen = np.flatnonzero(total)
    return Colours(levels_of(seen), total[seen])


def _count_few(pictures: Sequence[Levels], weights: Sequence[Floats | None]) -> Colours:
    """The same, by sorting those that are there rather than by counting all that there may be."""
    codes = [codes_of(rgb).ravel() for rgb in pictures]
    seen, which = np.unique(np.concatenate([*codes, np.zeros(0, np.int64)]), return_inverse=True)
    total, first = np.zeros(len(seen)), 0
    for number, own in enumerate(codes):
        weight = weights[number] if number < len(weights) else None
        part = which[first : first + len(own)]
        total += np.bincount(part, None if weight is None else weight.ravel(), minlength=len(seen))
        first += len(own)
    there = np.flatnonzero(total)
    return Colours(levels_of(seen[there]), total[there])


def to_oklab(levels: Levels) -> Floats:
    """OKLab of encoded colours (..., 3) uint8."""
    return linear_to_oklab(decode_levels(levels))


def to_levels(lab: Floats) -> Levels:
    """OKLab (..., 3) as encoded colours, rounded to 8 bits and clipped."""
    return to_levels8(linear_to_srgb(float32(np.clip(oklab_to_linear(lab), 0, 1))))


def coarse(colours: Colours, cells: int) -> tuple[Floats, Samples]:
    """Colours put together that are nearly alike: means in OKLab (m, 3) float32, and weights (m,) float64.

    Those are one that lie in one of so many cells to the unit in each direction.
    """
    lab = to_oklab(colours.levels)
    cell = np.floor(lab * np.float32(cells)).astype(np.int64) + cells
    _, group = np.unique((cell[:, 0] * 2 * cells + cell[:, 1]) * 2 * cells + cell[:, 2], return_inverse=True)
    weights = np.bincount(group, colours.weights)
    sums = np.stack([np.bincount(group, colours.weights * lab[:, channel]) for channel in range(3)], axis=-1)
    return float32(sums / weights[:, None]), weights
