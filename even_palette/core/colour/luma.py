"""Luma of encoded colours and luminance of linear ones."""

from even_palette.core.arrays import Floats, float32

BT601 = (0.299, 0.587, 0.114)
"""Luma weights of ITU-R BT.601-7, section 2.5.1."""
BT709 = (0.2126, 0.7152, 0.0722)
"""Luminance weights of ITU-R BT.709-6, item 3.2; they also hold for sRGB primaries."""


def luma(encoded: Floats) -> Floats:
    """Luma Y' of encoded R'G'B', shape (..., 3) to (...), by the BT.601 weights that YIQ uses."""
    return float32(float32(encoded) @ float32(BT601))


def luminance(linear: Floats) -> Floats:
    """Relative luminance Y of linear RGB, shape (..., 3) to (...), 0..1, by the BT.709 weights."""
    return float32(float32(linear) @ float32(BT709))
