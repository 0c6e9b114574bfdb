"""ID colours that are made here: pure ones first, then halves, then whatever is farthest from all that are there."""

from collections.abc import Iterable
from functools import lru_cache
from itertools import product

import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.colour.ciede2000 import ciede2000
from even_palette.core.colour.cielab import linear_to_cielab
from even_palette.core.colour.hexcode import Rgb8
from even_palette.core.colour.srgb import srgb_to_linear

PURE: tuple[Rgb8, ...] = (
    (255, 0, 0), (0, 255, 0), (0, 0, 255), (0, 255, 255), (255, 0, 255), (255, 255, 0), (255, 255, 255),
)  # fmt: skip
"""Each channel 0 or 255; black stands for texels of no region."""
HALVES: tuple[Rgb8, ...] = tuple(
    (red, green, blue) for red, green, blue in product((0, 128, 255), repeat=3)
    if 128 in (red, green, blue) and len({red, green, blue}) > 1
)  # fmt: skip
UNLIKE = 64
"""Levels (Chebyshev): how far a fresh region keys, so that what is nearer would share texels."""
STEP = 25
"""Levels between the colours among which the rest is chosen."""
FROM_BLACK = 12.0
"""CIEDE2000: what is nearer to black could be taken for none."""


def fresh_id_colours(count: int, taken: Iterable[Rgb8] = ()) -> list[Rgb8]:
    """ID colours unlike those taken, of which none occurs twice.

    Pure ones come first, then those of halves, but for those that are like one that is taken; then each time the one
    that is farthest, by CIEDE2000, from all before. The first 255 without any taken are at least 4.6 apart.
    """
    used = list(dict.fromkeys(taken))
    found = [colour for colour in (*PURE, *HALVES) if all(_far(colour, other) for other in used)][:count]
    if len(found) < count:
        found += _farthest(count - len(found), [*used, *found])
    return found


def _far(one: Rgb8, other: Rgb8) -> bool:
    return max(abs(a - b) for a, b in zip(one, other, strict=True)) >= UNLIKE


@lru_cache(maxsize=1)
def _grid() -> tuple[Samples, Floats]:
    """Colours of all hues, (n, 3) uint8, none near black and no greys, and their CIELAB."""
    levels = np.array(list(product(range(0, 256, STEP), repeat=3)), dtype=np.uint8)
    levels = levels[np.ptp(levels.astype(int), axis=1) > 2 * STEP]
    lab = _lab(levels)
    kept = ciede2000(lab, _lab(np.zeros((1, 3), np.uint8))) >= FROM_BLACK
    return levels[kept], lab[kept]


def _lab(levels: Samples) -> Floats:
    return linear_to_cielab(srgb_to_linear(float32(levels) / np.float32(255)))


def _farthest(count: int, used: list[Rgb8]) -> list[Rgb8]:
    levels, lab = _grid()
    room = np.full(len(levels), np.inf)
    for other in _lab(np.array(used, dtype=np.uint8).reshape(-1, 3)):
        room = np.minimum(room, ciede2000(lab, other[None]))
    found: list[Rgb8] = []
    while len(found) < count and room.max() > 0:
        at = int(room.argmax())
        red, green, blue = levels[at].tolist()
        found.append((red, green, blue))
        room = np.minimum(room, ciede2000(lab, lab[at][None]))
    return found
