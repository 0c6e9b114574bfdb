"""Edge pairs: the two regions that a texel belongs to, and the share between them, in one plane of three channels.

Numbers are 0 for the base and i + 1 for the region with index i; the share belongs to the first. Numbers cannot be
filtered, so a shader looks up the four texels around and mixes what each gives, which is linear filtering. Where at
most two meet in a texel the pair is exact; where three or more do, the two strongest share what the others had.
"""

from dataclasses import dataclass

import numpy as np

from even_palette.core.arrays import Levels
from even_palette.core.graph import nodes
from even_palette.core.graph.nodes import Node

WHOLE = 255
TEXELS = ((0, 0), (1, 0), (0, 1), (1, 1))


def encode_pairs(levels: Levels) -> Levels:
    """Pairs (h, w, 3) uint8 of weights (R, h, w) uint8 that with the base add up to 255, R up to 255.

    The first of a pair has the lower number. A texel of one region is paired with the base, or the base with itself.
    """
    count = len(levels)
    base = WHOLE - levels.astype(np.int16).sum(axis=0)
    every = np.concatenate([base[None], levels.astype(np.int16)])
    order = np.argsort(-every, axis=0, kind="stable")[:2]
    first, second = order.min(axis=0), order.max(axis=0)
    if count == 0:
        second = first
    a, b = (np.take_along_axis(every, each[None], axis=0)[0] for each in (first, second))
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


def exactness(levels: Levels) -> PairExactness:
    """How exact pairs are for weights (R, H, W) uint8; measured, by decoding them."""
    _, height, _ = levels.shape
    crowded = worst = 0
    for top in range(0, height, 256):
        part = levels[:, top : top + 256]
        base = WHOLE - part.astype(np.int16).sum(axis=0)
        crowded += int(((part > 0).sum(axis=0) + (base > 0) > 2).sum())
        pairs = encode_pairs(part)
        for index, level in enumerate(part):
            off = np.abs(decode_pairs(pairs, index).astype(np.int16) - level)
            worst = max(worst, int(off.max(initial=0)))
    return PairExactness(levels.shape[1] * levels.shape[2], crowded, worst)


def pair_weight(slot: str, index: int, width: int, height: int) -> Node:
    """The weight of the region with an index at the sheet's uv, by four look-ups in a plane that is not filtered."""
    at = nodes.uv() * nodes.constant(float(width), float(height)) - 0.5
    corner, part = nodes.floor(at), nodes.fract(at)
    number = float(index + 1)
    total: Node | None = None
    for x, y in TEXELS:
        middle = (corner + nodes.constant(x + 0.5, y + 0.5)) * nodes.constant(1.0 / width, 1.0 / height)
        pair = nodes.texture(slot, middle)
        numbers = pair["xy"] * float(WHOLE)
        is_first = nodes.step(number - 0.5, numbers["x"]) * nodes.step(numbers["x"], number + 0.5)
        is_second = nodes.step(number - 0.5, numbers["y"]) * nodes.step(numbers["y"], number + 0.5)
        share = is_first * pair["z"] + (1.0 - is_first) * is_second * (1.0 - pair["z"])
        across = part["x"] if x else 1.0 - part["x"]
        down = part["y"] if y else 1.0 - part["y"]
        mine = share * (across * down)
        total = mine if total is None else total + mine
    assert total is not None
    return total
