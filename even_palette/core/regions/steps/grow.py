"""Grow or shrink: the mask widened, or narrowed, by a disc."""

import math

import numpy as np

from even_palette.core.arrays import Floats, float32
from even_palette.core.regions.steps._declare import Group, StepKind, StepValue, Values


def reach(values: Values) -> int:
    """Texels around a tile that the disc sees."""
    return abs(round(values["radius"]))


def grow(mask: Floats, values: Values) -> Floats:
    """Grey dilation by a disc (a positive radius), or erosion: the largest or the smallest value within it.

    The disc holds the texels whose centres lie within the radius. Made of one running maximum a row of the disc.
    """
    from scipy.ndimage import maximum_filter1d, minimum_filter1d

    texels = reach(values)
    if texels == 0:
        return mask
    growing = values["radius"] > 0
    running, better = (maximum_filter1d, np.maximum) if growing else (minimum_filter1d, np.minimum)
    height, width = mask.shape[0] - 2 * texels, mask.shape[1] - 2 * texels
    made = None
    for down in range(-texels, texels + 1):
        half = math.isqrt(texels * texels - down * down)
        rows = mask[texels + down : texels + down + height]
        widest = running(rows, 2 * half + 1, axis=1) if half else rows
        widest = widest[:, texels : texels + width]
        made = widest if made is None else better(made, widest)
    return float32(made)


STEP = StepKind(
    "grow",
    "Grow or shrink",
    "Widens the mask by a disc, or narrows it.",
    (StepValue("radius", "Radius", 2.0, -64.0, 64.0, "Above 0 grows, below 0 shrinks.", "texels"),),
    reach,
    grow,
    group=Group.SHAPE,
    place=1,
)
