"""Feather: soft edges by a Gaussian."""

import math

import numpy as np

from even_palette.core.arrays import Floats, float32
from even_palette.core.regions.steps._declare import Group, StepKind, StepValue, Values

WIDE = 2.0
"""The kernel ends at so many times the radius, which is four standard deviations."""
NOTHING = 0.01
"""A radius up to this changes no mask of 16 bits."""


def reach(values: Values) -> int:
    """Texels around a tile that the kernel sees; of a radius near 0 only its middle stays."""
    return math.ceil(WIDE * values["radius"]) if values["radius"] > NOTHING else 0


def feather(mask: Floats, values: Values) -> Floats:
    """The mask smoothed by a Gaussian whose standard deviation is half the radius."""
    from scipy.ndimage import correlate1d

    texels = reach(values)
    if texels == 0:
        return mask
    sigma = values["radius"] / 2
    weights = np.exp(-0.5 * (np.arange(-texels, texels + 1) / sigma) ** 2)
    weights /= weights.sum()
    smooth = correlate1d(correlate1d(mask.astype(np.float64), weights, axis=0), weights, axis=1)
    return float32(smooth[texels:-texels, texels:-texels])


STEP = StepKind(
    "feather",
    "Feather",
    "Makes the edge of the mask soft.",
    (StepValue("radius", "Radius", 4.0, 0.0, 128.0, "How far the edge is spread to either side.", "texels"),),
    reach,
    feather,
    group=Group.SHAPE,
    place=2,
)
