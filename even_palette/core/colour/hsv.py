"""HSV of encoded R'G'B' (Smith 1978). Hue is in turns, 0..1."""

import numpy as np

from even_palette.core.arrays import Floats, float32


def hue_turns(encoded: Floats) -> Floats:
    """Hexagonal hue of encoded R'G'B', shape (..., 3) to (...), 0..1 turns; 0 for greys.

    Shared by HSV and HSL (Smith 1978).
    """
    red, green, blue = np.moveaxis(float32(encoded), -1, 0)
    high = np.maximum(np.maximum(red, green), blue)
    chroma = high - np.minimum(np.minimum(red, green), blue)
    divisor = np.where(chroma > 0, chroma, 1)
    sector = np.where(
        high == red,
        (green - blue) / divisor,
        np.where(high == green, 2 + (blue - red) / divisor, 4 + (red - green) / divisor),
    )
    return float32(np.where(chroma > 0, (sector / 6) % 1.0, 0))


def hue_wave(hue: Floats, offset_sixths: float) -> Floats:
    """The trapezoid 0..1 that one channel follows as hue turns; 5, 3 and 1 sixths are red, green and blue."""
    k = (offset_sixths + float32(hue) * 6) % 6
    return float32(1 - np.clip(np.minimum(k, 4 - k), 0, 1))


def rgb_to_hsv(encoded: Floats) -> Floats:
    """Encoded R'G'B' 0..1, shape (..., 3), to hue (turns), saturation 0..1, value 0..1."""
    encoded = float32(encoded)
    value = encoded.max(axis=-1)
    chroma = value - encoded.min(axis=-1)
    saturation = np.where(value > 0, chroma / np.where(value > 0, value, 1), 0)
    return float32(np.stack([hue_turns(encoded), saturation, value], axis=-1))


def hsv_to_rgb(hsv: Floats) -> Floats:
    """The inverse of rgb_to_hsv; hue wraps at whole turns."""
    hue, saturation, value = np.moveaxis(float32(hsv), -1, 0)
    low = value * (1 - saturation)
    return float32(np.stack([low + (value - low) * hue_wave(hue, k) for k in (5, 3, 1)], axis=-1))
