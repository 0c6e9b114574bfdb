"""Snap to pure: whole or nothing."""

import numpy as np

from even_palette.core.arrays import Floats, float32
from even_palette.core.regions.steps._declare import Group, StepKind, StepValue, Values


def snap(mask: Floats, values: Values) -> Floats:
    """1 from the threshold on, else 0."""
    return float32(mask >= np.float32(values["threshold"] / 100))


STEP = StepKind(
    "snap",
    "Snap to pure",
    "Makes every texel of the mask whole or nothing.",
    (StepValue("threshold", "Threshold", 50.0, 0.1, 100.0, "From here on a texel becomes whole.", "%"),),
    edit=snap,
    group=Group.CLEAN,
    place=4,
)
