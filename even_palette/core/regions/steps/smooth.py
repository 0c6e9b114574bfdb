"""Smooth, keeping edges of the paint: the mask follows the paint where that has an edge, and is smoothed elsewhere."""

import math

import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.colour.oklab import linear_to_oklab
from even_palette.core.regions.steps._declare import Group, StepKind, StepValue, Values


def reach(values: Values) -> int:
    """Texels around a tile that count: two windows."""
    return 2 * math.floor(values["radius"])


def smooth(mask: Floats, paint: Floats, values: Values) -> Floats:
    """The guided filter (He, Sun and Tang 2010, equations 5 to 8) of a mask (h + 4 r, w + 4 r), with the lightness of
    paint of that size (…, 3), linear RGB, in OKLab as its guide: in each window of 2 r + 1 texels the mask is a line
    over the lightness. `edge` is how many percent of lightness count as an edge: eps is its square."""
    from scipy.ndimage import uniform_filter

    radius = math.floor(values["radius"])
    if radius == 0:
        return mask
    guide = linear_to_oklab(paint)[..., 0].astype(np.float64)
    wide = mask.astype(np.float64)

    def mean(x: Samples) -> Samples:
        return uniform_filter(x, 2 * radius + 1, mode="nearest")  # type: ignore[no-any-return]

    mean_guide, mean_mask = mean(guide), mean(wide)
    slope = (mean(guide * wide) - mean_guide * mean_mask) / (
        mean(guide * guide) - mean_guide**2 + (values["edge"] / 100) ** 2
    )
    offset = mean_mask - slope * mean_guide
    made = mean(slope) * guide + mean(offset)
    cut = slice(2 * radius, -2 * radius)
    return float32(np.clip(made[cut, cut], 0, 1))


STEP = StepKind(
    "smooth",
    "Smooth along the paint",
    "Smooths the mask, but keeps it to edges of the base colour.",
    (
        StepValue("radius", "Radius", 6.0, 0.0, 32.0, "How far the mask is smoothed.", "texels"),
        StepValue("edge", "Edge", 5.0, 0.5, 50.0, "What difference of lightness is an edge.", "%"),
    ),
    reach,
    guided=smooth,
    group=Group.SHAPE,
    place=3,
)
