"""OKLab and OKLCh (Ottosson 2020, "A perceptual color space for image processing"), from linear Rec. 709 RGB."""

import numpy as np

from even_palette.core.arrays import Floats, apply_matrix, float32, inverse

RGB_TO_LMS = (
    (0.4122214708, 0.5363325363, 0.0514459929),
    (0.2119034982, 0.6806995451, 0.1073969566),
    (0.0883024619, 0.2817188376, 0.6299787005),
)
LMS_TO_LAB = (
    (0.2104542553, 0.7936177850, -0.0040720468),
    (1.9779984951, -2.4285922050, 0.4505937099),
    (0.0259040371, 0.7827717662, -0.8086757660),
)
LAB_TO_LMS = inverse(LMS_TO_LAB)
LMS_TO_RGB = inverse(RGB_TO_LMS)


def linear_to_oklab(linear: Floats) -> Floats:
    """Linear RGB, shape (..., 3), to L 0..1 and a, b about -0.4..0.4."""
    return apply_matrix(LMS_TO_LAB, float32(np.cbrt(apply_matrix(RGB_TO_LMS, float32(linear)))))


def oklab_to_linear(lab: Floats) -> Floats:
    """The inverse of linear_to_oklab; colours outside the gamut give values outside 0..1."""
    return apply_matrix(LMS_TO_RGB, float32(apply_matrix(LAB_TO_LMS, float32(lab)) ** 3))


def oklab_to_oklch(lab: Floats) -> Floats:
    """L, a, b to L, chroma and hue in turns 0..1; shape (..., 3)."""
    lightness, a, b = np.moveaxis(float32(lab), -1, 0)
    hue = (np.arctan2(b, a) / (2 * np.pi)) % 1.0
    return float32(np.stack([lightness, np.hypot(a, b), hue], axis=-1))


def oklch_to_oklab(lch: Floats) -> Floats:
    """The inverse of oklab_to_oklch."""
    lightness, chroma, hue = np.moveaxis(float32(lch), -1, 0)
    angle = hue * (2 * np.pi)
    return float32(np.stack([lightness, chroma * np.cos(angle), chroma * np.sin(angle)], axis=-1))
