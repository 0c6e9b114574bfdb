"""What all readers check before a mesh is built."""

import numpy as np

from even_palette.core.arrays import Samples
from even_palette.core.errors import UserError

FARTHEST = 1e9


def check_corners(name: str, corners: Samples, count: int, least: int = 0) -> None:
    """Raise UserError if a corner points outside of `count` vertices; `least` is -1 where it may be missing."""
    if not corners.size:
        return
    low, high = int(corners.min()), int(corners.max())
    if low < least or high >= count:
        wrong = low if low < least else high
        raise UserError(f"{name}: a face points to vertex {wrong + 1}; there are {count}.")


def check_finite(name: str, positions: Samples, corners: Samples) -> None:
    """Raise UserError if a used position is no number or too far away for float32 to hold its neighbourhood."""
    used = np.zeros(len(positions), dtype=bool)
    used[corners.ravel()] = True
    bad = used & ~(np.isfinite(positions).all(axis=1) & (np.abs(np.nan_to_num(positions)).max(axis=1) < FARTHEST))
    if bad.any():
        raise UserError(f"{name}: {int(bad.sum())} vertices have positions that are no usable numbers.")
