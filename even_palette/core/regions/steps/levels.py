"""Levels: a part of the mask's range spread over all of it."""

import numpy as np

from even_palette.core.arrays import Floats, float32
from even_palette.core.regions.steps._declare import Group, StepKind, StepValue, Values

NOTHING = 1e-5
"""Ranges below a level of 16 bits are none."""


def levels(mask: Floats, values: Values) -> Floats:
    """((m - low) / (high - low)) ^ (1 / gamma), held in 0..1; from low on whole if low is not below high."""
    low, high = np.float32(values["low"] / 100), np.float32(values["high"] / 100)
    if high - low < NOTHING:
        return float32(mask >= low)
    spread = np.clip((float32(mask) - low) / (high - low), 0, 1)
    return float32(spread ** np.float32(1 / values["gamma"]))


STEP = StepKind(
    "levels",
    "Levels",
    "Spreads a part of the mask's range over all of it.",
    (
        StepValue("low", "Low", 0.0, 0.0, 100.0, "Up to here the mask becomes nothing.", "%"),
        StepValue("high", "High", 100.0, 0.0, 100.0, "From here on the mask becomes whole.", "%"),
        StepValue("gamma", "Gamma", 1.0, 0.1, 10.0, "Above 1 makes the middle stronger, below weaker."),
    ),
    edit=levels,
    group=Group.SHAPE,
    place=4,
)
