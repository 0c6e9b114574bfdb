"""A smooth curve through five points, for masks and tones."""

from collections.abc import Sequence

import numpy as np

from even_palette.core.arrays import Floats, float32

POINTS = (0, 25, 50, 75, 100)
"""Where the points stand, in % of what comes in."""


def through_points(x: Floats, values: Sequence[float]) -> Floats:
    """The monotone cubic of Fritsch and Carlson (1980) through values 0..1 at POINTS, of x 0..1 of any shape.

    It does not overshoot between two points.
    """
    from scipy.interpolate import PchipInterpolator

    through = PchipInterpolator(np.array(POINTS) / 100, values)
    return float32(np.clip(through(x.astype(np.float64)), 0, 1))
