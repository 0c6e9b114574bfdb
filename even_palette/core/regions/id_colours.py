"""The distinct colours of an ID plane, with noise and soft edges merged into them."""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from even_palette.core.arrays import Bools, Levels, Samples
from even_palette.core.colour.hexcode import Rgb8
from even_palette.core.raster.plane import rgb_of

MOST_COLOURS = 1024
BAND = 256


@dataclass(frozen=True)
class IdColour:
    """One colour of an ID plane: its 8-bit levels, and how many texels are of it within the merging tolerance."""

    levels: Rgb8
    texels: int


@dataclass(frozen=True)
class IdColours:
    """The colours in order of their counts; `stray` texels are of none of them (soft edges, noise)."""

    colours: tuple[IdColour, ...]
    stray: int

    @property
    def texels(self) -> int:
        """The number of texels of the map."""
        return sum(colour.texels for colour in self.colours) + self.stray

    @property
    def stray_share(self) -> float:
        """The share of texels that are of none of the colours, 0..1."""
        return self.stray / max(1, self.texels)


def list_id_colours(levels: Samples, tolerance: int = 8, least_share: float = 0.00002) -> IdColours:
    """List the ID colours of levels (H, W, C) uint8.

    Colours are counted where the plane is flat (a texel equals its four neighbours within `tolerance` levels,
    Chebyshev), so that the mixtures along soft edges are not taken for ID colours; a plane without flat parts, such as
    a chart of single texels, is counted whole. The most frequent colour takes in all colours within `tolerance`
    of it, then the next. A colour close to one that is ten times as frequent is its fringe. Fringes and colours on
    less than `least_share` of the flat texels are stray.
    """
    colours, index, all_counts = distinct_colours(levels)
    present = _codes(colours[:, 0])
    counts = np.zeros(len(present), dtype=np.int64)
    for band in _bands(levels):
        wider = slice(max(0, band.start - 1), band.stop + 1)
        flat = _flat_texels(rgb_of(levels[wider]), tolerance)[band.start - wider.start :][: band.stop - band.start]
        counts += np.bincount(index[band][flat], minlength=len(present))
    if counts.sum() < 0.1 * index.size:
        counts = all_counts
    used = np.flatnonzero(counts)
    merged = _merge(present[used], counts[used], tolerance, least_share * float(counts.sum()))
    centres = _without_fringes(merged, tolerance)

    owner = _nearest_centre(present, centres, tolerance)
    totals = np.bincount(owner + 1, weights=all_counts, minlength=len(centres) + 1).astype(np.int64)
    found = [IdColour(_levels_of(code), int(total)) for code, total in zip(centres, totals[1:], strict=True)]
    found.sort(key=lambda colour: (-colour.texels, colour.levels))
    return IdColours(tuple(found), int(totals[0]))


def distinct_colours(levels: Samples) -> tuple[Levels, Samples, Samples]:
    """The distinct colours of levels (H, W, C) uint8, (n, 1, 3); the number of each texel's, (H, W); counts, (n,)."""
    seen = np.zeros(1 << 24, dtype=bool)
    for band in _bands(levels):
        seen[_codes(rgb_of(levels[band]))] = True
    used = np.flatnonzero(seen)
    numbers = np.empty(1 << 24, dtype=np.uint16 if len(used) <= 1 << 16 else np.uint32)
    numbers[used] = np.arange(len(used))
    index = np.empty(levels.shape[:2], dtype=numbers.dtype)
    counts = np.zeros(len(used), dtype=np.int64)
    for band in _bands(levels):
        index[band] = numbers[_codes(rgb_of(levels[band]))]
        counts += np.bincount(index[band].ravel(), minlength=len(used))
    return _vectors(used).astype(np.uint8)[:, None], index, counts


def _bands(levels: Samples) -> Iterator[slice]:
    """Rows in parts, so that what is made besides stays small."""
    for first in range(0, len(levels), BAND):
        yield slice(first, min(first + BAND, len(levels)))


def _codes(rgb: Samples) -> Samples:
    wide = rgb.astype(np.int32)
    return (wide[..., 0] << 16) | (wide[..., 1] << 8) | wide[..., 2]


def _levels_of(code: int) -> Rgb8:
    return (int(code) >> 16 & 255, int(code) >> 8 & 255, int(code) & 255)


def _vectors(codes: Samples) -> Samples:
    return np.stack([codes >> 16 & 255, codes >> 8 & 255, codes & 255], axis=-1).astype(np.int16)


def _flat_texels(rgb: Samples, tolerance: int) -> Bools:
    """Texels that equal their right, left, upper and lower neighbours within the tolerance; (H, W)."""
    flat = np.ones(rgb.shape[:2], dtype=bool)
    across = np.abs(np.diff(rgb.astype(np.int16), axis=1)).max(axis=-1) <= tolerance
    down = np.abs(np.diff(rgb.astype(np.int16), axis=0)).max(axis=-1) <= tolerance
    flat[:, 1:] &= across
    flat[:, :-1] &= across
    flat[1:] &= down
    flat[:-1] &= down
    return flat


def _merge(codes: Samples, counts: Samples, tolerance: int, least: float) -> dict[int, int]:
    """Centres by falling frequency, each with the texels of all codes within the tolerance of it."""
    order = np.argsort(-counts, kind="stable")
    codes, counts = codes[order], counts[order]
    vectors = _vectors(codes)
    free = np.ones(len(codes), dtype=bool)
    centres: dict[int, int] = {}
    for at in range(len(codes)):
        if not free[at]:
            continue
        near = free & (np.abs(vectors - vectors[at]).max(axis=-1) <= tolerance)
        free &= ~near
        texels = int(counts[near].sum())
        if texels >= least:
            centres[int(codes[at])] = texels
        if len(centres) >= MOST_COLOURS or (counts[at] < least and counts[free].sum() < least):
            break
        if counts[at] <= 1 and at > 4 * MOST_COLOURS:
            break
    return centres


def _without_fringes(centres: dict[int, int], tolerance: int) -> list[int]:
    """Centres without those that lie within twice the tolerance of one that is more than ten times as frequent."""
    vectors, sizes = _vectors(np.array(list(centres), dtype=np.int64)), np.array(list(centres.values()))
    kept = []
    for at, centre in enumerate(centres):
        near = np.abs(vectors - vectors[at]).max(axis=-1) <= 2 * tolerance
        if not np.any(near & (sizes > 10 * sizes[at])):
            kept.append(centre)
    return kept


def _nearest_centre(codes: Samples, centres: list[int], tolerance: int) -> Samples:
    """Index of the nearest centre of each code within the tolerance, otherwise -1."""
    vectors = _vectors(codes)
    best = np.full(len(codes), tolerance + 1, dtype=np.int16)
    owner = np.full(len(codes), -1, dtype=np.int64)
    for index, centre in enumerate(_vectors(np.array(centres, dtype=np.int64))):
        distance = np.abs(vectors - centre).max(axis=-1)
        closer = distance < best
        best[closer], owner[closer] = distance[closer], index
    return owner
