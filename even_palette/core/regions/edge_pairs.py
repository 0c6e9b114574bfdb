"""Edge pairs: the two regions that a texel belongs to, and the share between them, in one plane of three channels.

Numbers are 0 for the base and i + 1 for the region with index i; the share belongs to the first. Numbers cannot be
filtered, so a shader looks up the four texels around and mixes what each gives, which is linear filtering; and the
plane holds all mips beside each other, each paired anew. Where at
most two meet in a texel the pair is exact; where three or more do, the two strongest share what the others had.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from even_palette.core.arrays import Floats, Levels
from even_palette.core.graph import nodes
from even_palette.core.graph.mip_level import fitting_level
from even_palette.core.graph.nodes import Node
from even_palette.core.graph.types import Type
from even_palette.core.raster.mips import halved, halved_down, level_count
from even_palette.core.regions.remainders import whole_shares

WHOLE = 255
TEXELS = ((0, 0), (1, 0), (0, 1), (1, 1))


def encode_pairs(levels: Levels) -> Levels:
    """Pairs (h, w, 3) uint8 of weights (R, h, w) uint8 that with the base add up to 255, R up to 255.

    The first of a pair has the lower number. A texel of one region is paired with the base, or the base with itself.
    """
    base = WHOLE - levels.sum(axis=0, dtype=np.int16)
    every = np.concatenate([base[None], levels.astype(np.int16)])
    strongest = every.argmax(axis=0)
    others = every.copy()
    np.put_along_axis(others, strongest[None], -1, axis=0)
    next_one = others.argmax(axis=0) if len(levels) else strongest
    first, second = np.minimum(strongest, next_one), np.maximum(strongest, next_one)
    a, b = (np.take_along_axis(every, each[None], axis=0)[0].astype(np.int32) for each in (first, second))
    share = np.where(a + b > 0, (a * (2 * WHOLE) + (a + b)) // np.maximum(2 * (a + b), 1), WHOLE)
    return np.stack([first, second, share], axis=-1).astype(np.uint8)


def decode_pairs(pairs: Levels, index: int) -> Levels:
    """The weight (h, w) uint8 of the region with an index, of pairs (h, w, 3)."""
    number = index + 1
    share = pairs[..., 2].astype(np.int16)
    of_first = np.where(pairs[..., 0] == number, share, 0)
    of_second = np.where((pairs[..., 1] == number) & (pairs[..., 0] != number), WHOLE - share, 0)
    return np.asarray(of_first + of_second, dtype=np.uint8)


@dataclass(frozen=True)
class PairExactness:
    """Of all texels: how many more than two meet in, and how far their weights are off at the most, in levels."""

    texels: int
    crowded: int
    worst: int


Rows = Callable[[int, int], Levels]
"""The weights (R, n, W) uint8 of the rows from one up to another: sheets of many regions are looked at in bands."""
BAND_BYTES = 32 << 20
"""What a band may take; about ten times as much is taken while it is worked on."""


def rows_of(levels: Levels) -> Rows:
    """Rows of weights (R, H, W) that are there as a whole."""
    return lambda first, last: levels[:, first:last]


def band_rows(count: int, width: int) -> int:
    """How many rows of so many regions are looked at together: an even number."""
    return max(2, BAND_BYTES // (4 * max(1, count) * width) // 2 * 2)


def exactness(rows: Rows, size: tuple[int, int, int]) -> PairExactness:
    """How exact pairs are for weights of this size (R, H, W); measured, by decoding them."""
    count, height, width = size
    crowded = worst = 0
    band = band_rows(count, width)
    for top in range(0, height, band):
        part = rows(top, min(top + band, height))
        base = WHOLE - part.sum(axis=0, dtype=np.int16)
        crowded += int(((part > 0).sum(axis=0) + (base > 0) > 2).sum())
        pairs = encode_pairs(part)
        for index, level in enumerate(part):
            off = np.abs(decode_pairs(pairs, index).astype(np.int16) - level)
            worst = max(worst, int(off.max(initial=0)))
    return PairExactness(height * width, crowded, worst)


def pyramid_size(width: int, height: int) -> tuple[int, int]:
    """Width and height of the plane that holds the pairs of a sheet of this size with all mips."""
    return width + max(1, width // 2), height + level_count(height, width)


def pyramid_place(level: int, width: int, height: int) -> tuple[int, int, int, int]:
    """Left, top, width and height of a mip level in that plane: the sheet, and beside it the others below each other.

    Level k begins at h - ceil(h / 2^(k - 1)) + k - 1: its floor(h / 2^k) rows, or one, end before the next one begins.
    """
    own = max(1, width >> level), max(1, height >> level)
    return (width, height - -(-height >> (level - 1)) + level - 1, *own) if level else (0, 0, *own)


def pyramid(rows: Rows, size: tuple[int, int, int]) -> Levels:
    """The pairs of weights of this size (R, h, w) with all mips, each paired anew from averaged weights; uint8.

    The first levels are made band by band from the weights; what is left then fits as a whole.
    """
    count, height, width = size
    across, down = pyramid_size(width, height)
    out = np.zeros((down, across, 3), dtype=np.uint8)

    def put(level: int, first: int, pairs: Levels) -> None:
        left, top, wide, _ = pyramid_place(level, width, height)
        out[top + first : top + first + len(pairs), left : left + wide] = pairs

    def means(level: int, first: int, last: int) -> Floats:
        """Rows of a level, (R, n, w) float32, made of the weights themselves."""
        if level == 0:
            return np.asarray(rows(first, last), dtype=np.float32)
        above = max(1, height >> (level - 1))
        if above == 1:
            found = means(level - 1, first, last)
        else:
            before = means(level - 1, 2 * first, min(2 * last + above % 2, above))
            found = np.moveaxis(halved_down(np.moveaxis(before, 1, 0), first, above), 0, 1)
        return np.moveaxis(halved_down(np.moveaxis(found, 2, 0)), 0, 2)

    level, last = 0, level_count(height, width) - 1
    while True:
        high = max(1, height >> level)
        band = max(1, band_rows(count, width) >> level)
        fits = 4 * count * high * max(1, width >> level) <= BAND_BYTES
        if level and (fits or level == last):
            break
        for first in range(0, high, band):
            part = means(level, first, min(first + band, high))
            put(level, first, encode_pairs(part.astype(np.uint8) if level == 0 else _whole_levels(part)))
        if level == last:
            return out
        level += 1
    mean = np.concatenate([means(level, first, min(first + band, high)) for first in range(0, high, band)], axis=1)
    put(level, 0, encode_pairs(_whole_levels(mean)))
    for number in range(level + 1, last + 1):
        mean = np.moveaxis(halved(np.moveaxis(mean, 0, -1)), -1, 0)
        put(number, 0, encode_pairs(_whole_levels(mean)))
    return out


def _whole_levels(mean: Floats) -> Levels:
    """Averaged weights (R, h, w) as levels that with the base add up to 255, by the largest remainders."""
    every = np.concatenate([WHOLE - mean.sum(axis=0, keepdims=True), mean])
    return np.asarray(whole_shares(every, WHOLE, rounding=1e-3)[1:], dtype=np.uint8)


def pair_weight(slot: str, index: int, width: int, height: int) -> Node:
    """The weight of the region with an index at the sheet's uv, of a plane of pairs with mips that is not filtered.

    Four look-ups in each of the two mips that fit, mixed: what linear filtering and mips give of the weights. Each has
    two numbers of regions with what they have there; a region's weight is the sum of what has its number.
    """
    last = float(level_count(height, width) - 1)
    level = nodes.minimum(fitting_level((nodes.pixel()["xy"], nodes.pixel()["zw"]), (width, height)), last)
    low = nodes.floor(level)
    upper = _of_level(slot, width, height, low, 1 - (level - low))
    lower = _of_level(slot, width, height, nodes.minimum(low + 1, last), level - low)
    number = nodes.splat(nodes.constant(float(index + 1)), Type.VEC4)
    return nodes.total([nodes.dot(nodes.equal(numbers, number), has) for numbers, has in (*upper, *lower)])


def _of_level(slot: str, width: int, height: int, level: Node, share: Node) -> list[tuple[Node, Node]]:
    """Of the four texels of a level about uv, the first numbers of their pairs and the second ones, a vec4 each, with
    what each has of the `share` of that level.
    """
    scale = nodes.floor(nodes.power(2.0, level) + 0.5)
    own = nodes.maximum(nodes.floor(nodes.constant(float(width), float(height)) / nodes.splat(scale, Type.VEC2)), 1)
    below = nodes.step(0.5, level)
    rows_left = -nodes.floor(nodes.as_node(-2.0 * height) / scale)
    corner_at = nodes.join(below * float(width), below * (float(height) - rows_left + level - 1))
    at = nodes.uv() * own - 0.5
    corner, part = nodes.floor(at), nodes.fract(at)
    across, down = pyramid_size(width, height)
    pairs = []
    for x, y in TEXELS:
        texel = nodes.minimum(nodes.maximum(corner + nodes.constant(float(x), float(y)), 0), own - 1)
        middle = (corner_at + texel + 0.5) * nodes.constant(1.0 / across, 1.0 / down)
        pairs.append(nodes.texture(slot, middle))
    first, second, of_first = (nodes.join(*(pair[channel] for pair in pairs)) for channel in "xyz")
    right = nodes.join(1 - part["x"], part["x"], 1 - part["x"], part["x"])
    lower = nodes.join(1 - part["y"], 1 - part["y"], part["y"], part["y"])
    filtered = right * lower * share
    has_first = filtered * of_first
    return [(_whole(first), has_first), (_whole(second), filtered - has_first)]


def _whole(stored: Node) -> Node:
    """The numbers that samples of 8 bits mean."""
    return nodes.floor(stored * float(WHOLE) + 0.5)
