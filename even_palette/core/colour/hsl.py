"""HSL of encoded R'G'B' (Joblove and Greenberg 1978). Hue is in turns, 0..1."""

import numpy as np

from even_palette.core.arrays import Floats, float32
from even_palette.core.colour.hsv import hue_turns, hue_wave


def rgb_to_hsl(encoded: Floats) -> Floats:
    """Encoded R'G'B' 0..1, shape (..., 3), to hue (turns), saturation 0..1, lightness 0..1."""
    encoded = float32(encoded)
    high, low = encoded.max(axis=-1), encoded.min(axis=-1)
    lightness = (high + low) / 2
    span = 1 - np.abs(2 * lightness - 1)
    saturation = np.where(span > 0, (high - low) / np.where(span > 0, span, 1), 0)
    return float32(np.stack([hue_turns(encoded), saturation, lightness], axis=-1))


def hsl_to_rgb(hsl: Floats) -> Floats:
    """The inverse of rgb_to_hsl; hue wraps at whole turns."""
    hue, saturation, lightness = np.moveaxis(float32(hsl), -1, 0)
    chroma = (1 - np.abs(2 * lightness - 1)) * saturation
    low = lightness - chroma / 2
    return float32(np.stack([low + chroma * hue_wave(hue, k) for k in (5, 3, 1)], axis=-1))
