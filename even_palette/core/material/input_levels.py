"""A channel of a plane as a number 0..1: through its levels, a power, and perhaps turned round.

For planes that are worked out here; `build` writes the same as an expression for runtimes.
"""

import numpy as np

from even_palette.core.arrays import Floats, float32
from even_palette.core.material.model import PlaneUse

LEAST_STEP = 1 / 255
"""A step of 8 bits: below it formulas that are steep at 0 go on straight, so that a millionth never shows."""


def through_levels(x: Floats, use: PlaneUse) -> Floats:
    """Values of any shape as a use of their plane takes them, 0..1 float32.

    Levels that are equal are a threshold, one of 255 levels wide below it.
    """
    wide = use.high - use.low
    if (use.low, use.high) != (0.0, 1.0):
        low = np.float32(use.low)
        share = (x - low) / np.float32(wide) if wide >= LEAST_STEP else (x - low) / np.float32(LEAST_STEP) + 1
        x = float32(np.clip(share, 0, 1))
    if use.power != 1:
        x = np.maximum(x, 0)
        straight = x * np.float32(LEAST_STEP**use.power / LEAST_STEP)
        x = np.where(x >= LEAST_STEP, x ** np.float32(use.power), straight)
    return float32(1 - x if use.invert else x)
