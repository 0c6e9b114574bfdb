"""Look-up in a strip: a row of N texels indexed by a position 0..1."""

import numpy as np

from even_palette.core.arrays import Floats, float32
from even_palette.core.raster.plane import Plane
from even_palette.core.raster.sampling import SMOOTH, Sampler, sample


def look_up(strip: Plane, position: Floats, row: Floats, sampler: Sampler = SMOOTH) -> Floats:
    """Colours of strip (rows, N, C) at positions 0..1 and row numbers, both (...), giving (..., C).

    u = (p (N - 1) + 0.5) / N, so that 0 and 1 hit the centres of the first and last texel; rows are not mixed.
    """
    rows, count = strip.height, strip.width
    u = (np.clip(position, 0, 1) * np.float32(count - 1) + np.float32(0.5)) / np.float32(count)
    v = (np.clip(np.floor(row + np.float32(0.5)), 0, rows - 1) + np.float32(0.5)) / np.float32(rows)
    return sample(strip, float32(np.stack(np.broadcast_arrays(u, v), axis=-1)), sampler)
