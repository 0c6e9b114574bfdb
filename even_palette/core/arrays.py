"""Array types that the core passes around."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float32]
Levels = NDArray[np.uint8]
Bools = NDArray[np.bool_]
Samples = NDArray[Any]


def float32(values: Any) -> Floats:
    """The values as a float32 array, any shape; no copy where they already are one."""
    return np.asarray(values, dtype=np.float32)


Matrix = tuple[tuple[float, ...], ...]
"""A 3x3 matrix by rows."""


def apply_matrix(matrix: Matrix, colours: Floats) -> Floats:
    """Multiply each colour vector, shape (..., 3), by a 3x3 matrix given by rows."""
    product: Floats = colours @ float32(matrix).T
    return product


def inverse(matrix: Matrix) -> Matrix:
    """The inverse of a 3x3 matrix given by rows, in float64."""
    return tuple(tuple(float(v) for v in row) for row in np.linalg.inv(np.array(matrix)))
