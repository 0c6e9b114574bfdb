"""A picture all around a scene as light: sharp, gathered by surfaces of several roughness, and by rough ones from all.

The picture is equirectangular: its middle column lies to the south (+z), the columns right of it towards the west (-x)
as one sees them from inside, its upper row straight up. What a surface of roughness r mirrors is weighed by the GGX
lobe around the mirrored direction with the surface, the eye and that direction one (Karis 2013, split sum); what a
rough one gathers by the cosine. Each is a mean, so the same light from everywhere stays that light.
"""

import math

import numpy as np

from even_palette.core.arrays import Floats, float32
from even_palette.core.jobs import CancelToken

SHARP = (288, 576)
"""Rows and columns of the picture as it is seen, and in mirrors."""
SMALL = (48, 96)
ROUGHNESS = (0.2, 0.4, 0.6, 0.8, 1.0)
"""Those that light is gathered for, beside the sharp one at 0; then comes what is gathered by the cosine."""
BORDER = 1
ACROSS = len(ROUGHNESS) + 1
ATLAS = (SHARP[0] + SMALL[0] + 4 * BORDER, max(SHARP[1] + 2 * BORDER, ACROSS * (SMALL[1] + 2 * BORDER)))
ROWS_AT_ONCE = 4


def surround_atlas(light: Floats, cancel: CancelToken | None = None) -> Floats:
    """All of it in one picture, (*ATLAS, 3): the sharp one above, below it the others beside each other.

    Each has a border of a texel in which it goes on, so that filters find what they should. `light` (H, W, 3) is linear
    and may have any size. Raises Cancelled.
    """
    found = np.zeros((*ATLAS, 3), dtype=np.float32)
    _put(found, 0, 0, by_area(light, *SHARP))
    for number, level in enumerate(gathered(by_area(light, *SMALL), cancel)):
        _put(found, SHARP[0] + 2 * BORDER, number * (SMALL[1] + 2 * BORDER), level)
    return found


def directions(height: int, width: int) -> Floats:
    """Where the middles of texels lie, unit vectors (height, width, 3), y up."""
    lift = (0.5 - (np.arange(height) + 0.5) / height) * math.pi
    turn = ((np.arange(width) + 0.5) / width - 0.5) * 2 * math.pi
    flat = np.cos(lift)[:, None]
    up = np.broadcast_to(np.sin(lift)[:, None], (height, width))
    return float32(np.stack([-flat * np.sin(turn), up, flat * np.cos(turn)], axis=-1))


def gathered(light: Floats, cancel: CancelToken | None = None) -> list[Floats]:
    """A small picture (h, w, 3) as surfaces of each of ROUGHNESS mirror it, and as one that is rough gathers it."""
    height, width = light.shape[:2]
    ways = directions(height, width).reshape(-1, 3)
    lift = (0.5 - (np.arange(height) + 0.5) / height) * math.pi
    weights = np.repeat(np.cos(lift), width).astype(np.float32)
    values = light.reshape(-1, 3) * weights[:, None]
    made = [np.empty_like(light) for _ in range(ACROSS)]
    for first in range(0, height, ROWS_AT_ONCE):
        if cancel:
            cancel.check()
        some = slice(first * width, (first + ROWS_AT_ONCE) * width)
        cosine = np.clip(ways[some] @ ways.T, 0, 1)
        for number in range(ACROSS):
            kernel = cosine if number == len(ROUGHNESS) else _lobe(cosine, ROUGHNESS[number])
            mean = kernel @ values / np.maximum(kernel @ weights, 1e-12)[:, None]
            made[number][first : first + ROWS_AT_ONCE] = mean.reshape(-1, width, 3)
    return made


def _lobe(cosine: Floats, roughness: float) -> Floats:
    """D(h) (n . l) for light at an angle of this cosine to the mirrored direction; h lies halfway (GGX)."""
    alpha = max(roughness * roughness, 0.02)
    squared = (1 + cosine) / 2  # of the cosine of half the angle
    return float32(cosine * alpha**2 / (squared * (alpha**2 - 1) + 1) ** 2)


def by_area(light: Floats, height: int, width: int) -> Floats:
    """A picture (H, W, 3) at another size: each texel is the mean of the area that it covers."""
    down, across = _shares(light.shape[0], height), _shares(light.shape[1], width)
    narrow = np.einsum("hwc,vw->hvc", light, across, optimize=True)
    return float32(np.einsum("hvc,uh->uvc", narrow, down, optimize=True))


def _shares(before: int, after: int) -> Floats:
    """How much of each of `before` lengths lies in each of `after` equal ones, (after, before), rows adding up to 1."""
    edges = np.arange(after + 1) * (before / after)
    low, high = np.maximum(edges[:-1, None], np.arange(before)), np.minimum(edges[1:, None], np.arange(before) + 1.0)
    return float32(np.maximum(high - low, 0) * (after / before))


def _put(atlas: Floats, top: int, left: int, part: Floats) -> None:
    height, width = part.shape[:2]
    around = np.concatenate([part[:, -BORDER:], part, part[:, :BORDER]], axis=1)
    over = np.roll(around[:1], width // 2, axis=1), np.roll(around[-1:], width // 2, axis=1)
    whole = np.concatenate([over[0], around, over[1]])
    atlas[top : top + height + 2 * BORDER, left : left + width + 2 * BORDER] = whole
