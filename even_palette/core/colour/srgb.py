"""The sRGB transfer function of IEC 61966-2-1."""

import numpy as np

from even_palette.core.arrays import Floats, float32

ENCODED_BREAK = 0.04045
LINEAR_BREAK = 0.0031308
SLOPE = 12.92
OFFSET = 0.055
GAMMA = 2.4


def srgb_to_linear(encoded: Floats) -> Floats:
    """Decode sRGB values 0..1, any shape, to linear light 0..1.

    Values outside the unit range keep the formula; negative ones stay on the straight part.

    >>> round(float(srgb_to_linear(float32(0.5))), 4)
    0.214
    """
    encoded = float32(encoded)
    curve = ((np.maximum(encoded, ENCODED_BREAK) + OFFSET) / (1 + OFFSET)) ** GAMMA
    return float32(np.where(encoded <= ENCODED_BREAK, encoded / SLOPE, curve))


def linear_to_srgb(linear: Floats) -> Floats:
    """Encode linear light 0..1, any shape, as sRGB values 0..1; the inverse of srgb_to_linear.

    >>> round(float(linear_to_srgb(float32(0.214))), 3)
    0.5
    """
    linear = float32(linear)
    curve = (1 + OFFSET) * np.maximum(linear, LINEAR_BREAK) ** (1 / GAMMA) - OFFSET
    return float32(np.where(linear <= LINEAR_BREAK, linear * SLOPE, curve))
