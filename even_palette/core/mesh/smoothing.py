"""Smoothing of what rays found, which keeps to UV islands and to the edges between directions."""

from concurrent.futures import ThreadPoolExecutor
from os import cpu_count

import numba as nb
import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.jobs import CancelToken

DOUBLINGS = 4
"""How often the cosine between two normals is squared: to the power of 16, which lets 30 degrees count a tenth."""
BAND_ROWS = 32


def smoothed(
    values: Floats, islands: Samples, normals: Floats, radius: int, cancel: CancelToken | None = None
) -> Floats:
    """Values (H, W, C) averaged over a Gaussian of `radius` texels, each with those of its own island that face alike.

    `islands` (H, W) are numbers, -1 where there is no face; `normals` (H, W, 3) have length 1. A cross-bilateral filter
    (Petschnigg et al. 2004) guided by the surface. Texels without a face stay. Raises Cancelled.
    """
    if radius < 1:
        return values
    out = np.empty_like(values, dtype=np.float32)
    near = float32(np.exp(-2.0 * np.arange(radius * radius + 1) / (radius * radius)))

    def band(first: int) -> None:
        if cancel:
            cancel.check()
        last = min(first + BAND_ROWS, len(islands))
        _smooth_rows(float32(values), islands, normals, near, radius, first, last, out)

    with ThreadPoolExecutor(cpu_count() or 1) as pool:
        for job in [pool.submit(band, first) for first in range(0, len(islands), BAND_ROWS)]:
            job.result()
    return out


@nb.njit(nogil=True, cache=True, error_model="numpy")
def _smooth_rows(values, islands, normals, near, radius, first, last, out):  # type: ignore[no-untyped-def]
    """Rows first..last of the output; one pass, whatever the radius."""
    height, width, channels = values.shape
    total = np.empty(channels, dtype=np.float32)
    for y in range(first, last):
        for x in range(width):
            island = islands[y, x]
            total[:] = values[y, x]
            weight = np.float32(1)
            if island >= 0:
                for down in range(max(-radius, -y), min(radius, height - 1 - y) + 1):
                    for across in range(max(-radius, -x), min(radius, width - 1 - x) + 1):
                        far = down * down + across * across
                        i, j = y + down, x + across
                        if far == 0 or far > radius * radius or islands[i, j] != island:
                            continue
                        alike = np.float32(0)
                        for axis in range(3):
                            alike += normals[y, x, axis] * normals[i, j, axis]
                        share = min(max(alike, np.float32(0)), np.float32(1))
                        for _ in range(DOUBLINGS):
                            share *= share
                        share *= near[far]
                        weight += share
                        for channel in range(channels):
                            total[channel] += values[i, j, channel] * share
            for channel in range(channels):
                out[y, x, channel] = total[channel] / weight
