"""CIELAB (CIE 15:2018) from linear Rec. 709 RGB, D65 white, 2-degree observer."""

import numpy as np

from even_palette.core.arrays import Floats, apply_matrix, float32

RGB_TO_XYZ = (
    (0.4123907993, 0.3575843394, 0.1804807884),
    (0.2126390059, 0.7151686788, 0.0721923154),
    (0.0193308187, 0.1191947798, 0.9505321522),
)
"""Rec. 709 primaries with the D65 white x = 0.3127, y = 0.3290 (ITU-R BT.709-6, item 1.4)."""
WHITE = tuple(sum(row) for row in RGB_TO_XYZ)
DELTA = 6 / 29


def linear_to_cielab(linear: Floats) -> Floats:
    """Linear RGB, shape (..., 3), to L* 0..100, a* and b* about -128..128."""
    ratio = apply_matrix(RGB_TO_XYZ, float32(linear)) / float32(WHITE)
    root = np.where(ratio > DELTA**3, np.cbrt(ratio), ratio / (3 * DELTA**2) + 4 / 29)
    x, y, z = np.moveaxis(root, -1, 0)
    return float32(np.stack([116 * y - 16, 500 * (x - y), 200 * (y - z)], axis=-1))
