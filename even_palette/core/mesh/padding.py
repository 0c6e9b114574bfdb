"""Padding: background texels near islands take the value of the nearest covered texel."""

import math
from concurrent.futures import ThreadPoolExecutor
from os import cpu_count

import numba as nb
import numpy as np

from even_palette.core.arrays import Bools, Samples

BAND_ROWS = 256
FAR = 1 << 30


def nearest_covered(covered: Bools, width: int) -> Samples:
    """Which texel each takes its value from, (H, W) int32 as row * W + column: itself where covered, -1 for none.

    Texels within `width` rows and columns (Chebyshev) of a covered one take the nearest (Euclidean; ties go to the
    upper, then the left one). So a block of 2^k x 2^k texels that touches an island is full if 2^k <= width + 1.
    """
    height, columns = covered.shape
    across = np.full((height, columns), FAR, dtype=np.int32)
    out = np.full((height, columns), -1, dtype=np.int32)
    bands = [(first, min(first + BAND_ROWS, height)) for first in range(0, height, BAND_ROWS)]
    with ThreadPoolExecutor(cpu_count() or 1) as pool:
        list(pool.map(lambda band: _across(covered, across, width, *band), bands))
        list(pool.map(lambda band: _nearest(across, out, width, *band), bands))
    return out


@nb.njit(nogil=True, cache=True)
def _across(covered, across, width, first, last):  # type: ignore[no-untyped-def]
    """Columns to the nearest covered texel of the same row, up to `width`; the left one on ties."""
    for row in range(first, last):
        since = FAR
        for column in range(covered.shape[1]):
            since = 0 if covered[row, column] else since + 1
            if since <= width:
                across[row, column] = -since
        since = FAR
        for column in range(covered.shape[1] - 1, -1, -1):
            since = 0 if covered[row, column] else since + 1
            if since <= width and since < abs(across[row, column]):
                across[row, column] = since


@nb.njit(nogil=True, cache=True)
def _nearest(across, out, width, first, last):  # type: ignore[no-untyped-def]
    height, columns = across.shape
    for row in range(first, last):
        for column in range(columns):
            best = FAR
            for step in range(width + 1):
                if step * step >= best:
                    break
                for side in range(2):
                    other = row - step if side == 0 else row + step
                    if other < 0 or other >= height or (step == 0 and side == 1):
                        continue
                    dx = across[other, column]
                    if dx == FAR:
                        continue
                    distance = dx * dx + step * step
                    if distance < best:
                        best = distance
                        out[row, column] = other * columns + column + dx


def spread(values: Samples, nearest: Samples) -> Samples:
    """Values (H, W, ...) with padding; texels without a source keep their own."""
    flat = values.reshape(-1, *values.shape[2:])
    source = np.where(nearest < 0, np.arange(nearest.size, dtype=np.int64).reshape(nearest.shape), nearest)
    return np.ascontiguousarray(flat[source])


def lasting_mips(padding: int) -> int:
    """How many mip levels a padding lasts: level k shows no background inside islands as long as padding >= 2^k.

    >>> lasting_mips(16), lasting_mips(1), lasting_mips(0)
    (4, 0, -1)
    """
    return int(math.log2(padding)) if padding >= 1 else -1
