"""Curve: the mask through a smooth curve with five points."""

import numpy as np

from even_palette.core.arrays import Floats, float32
from even_palette.core.regions.steps._declare import StepKind, StepValue, Values

POINTS = (0, 25, 50, 75, 100)


def curve(mask: Floats, values: Values) -> Floats:
    """The monotone cubic of Fritsch and Carlson (1980) through the points: no overshoot between two of them."""
    from scipy.interpolate import PchipInterpolator

    through = PchipInterpolator(np.array(POINTS) / 100, [values[f"at_{at}"] / 100 for at in POINTS])
    return float32(np.clip(through(mask.astype(np.float64)), 0, 1))


STEP = StepKind(
    "curve",
    "Curve",
    "Sends the mask through a smooth curve with five points.",
    tuple(
        StepValue(f"at_{at}", f"At {at} %", float(at), 0.0, 100.0, f"What {at} % of the mask becomes.", "%")
        for at in POINTS
    ),
    edit=curve,
)
