"""The hash of `chance` for compiled loops."""

import numba as nb
import numpy as np


@nb.njit(nogil=True, cache=True, inline="always")
def pcg_compiled(value):  # type: ignore[no-untyped-def]
    """The same hash for compiled loops; takes and gives a uint32."""
    state = np.uint32(value * np.uint32(747796405) + np.uint32(2891336453))
    word = np.uint32(((state >> np.uint32((state >> np.uint32(28)) + np.uint32(4))) ^ state) * np.uint32(277803737))
    return np.uint32((word >> np.uint32(22)) ^ word)
