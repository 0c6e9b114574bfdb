"""The loops of palettes, compiled: which entry is nearest, and what each entry gathers."""

import numba as nb
import numpy as np

from even_palette.core.arrays import Floats, Samples
from even_palette.core.jobs import CancelToken, in_parts


def nearest_entries(points: Floats, entries: Floats, cancel: CancelToken | None = None) -> tuple[Samples, Floats]:
    """The nearest of entries (n, 3) to each of points (m, 3), the first of equals: numbers (m,), squared distances.

    Raises Cancelled.
    """
    which, far = np.empty(len(points), dtype=np.int32), np.empty(len(points), dtype=np.float32)
    columns = np.ascontiguousarray(entries.T)
    in_parts(len(points), lambda first, last: _nearest(points, columns, first, last, which, far), cancel)
    return which, far


@nb.njit(nogil=True, cache=True)
def _nearest(points, columns, first, last, which, far):  # type: ignore[no-untyped-def]
    count = columns.shape[1]
    found = np.empty(count, dtype=np.float32)
    for at in range(first, last):
        x, y, z = points[at, 0], points[at, 1], points[at, 2]
        for entry in range(count):
            dx, dy, dz = x - columns[0, entry], y - columns[1, entry], z - columns[2, entry]
            found[entry] = dx * dx + dy * dy + dz * dz
        least, best = found[0], 0
        for entry in range(1, count):
            if found[entry] < least:
                least, best = found[entry], entry
        which[at], far[at] = best, least


def gathered(points: Floats, weights: Samples, which: Samples, count: int) -> tuple[Samples, Samples]:
    """Weighted sums (count, 3) and weights (count,) of the points of each entry, float64."""
    sums = np.stack([np.bincount(which, weights * points[:, channel], count) for channel in range(3)], axis=-1)
    return sums, np.bincount(which, weights, count)


@nb.njit(nogil=True, cache=True)
def shorter_path(points, order):  # type: ignore[no-untyped-def]
    """Make an open path through points (n, 3) shorter by turning parts of it round (2-opt, Croes 1958), in place."""
    count = len(order)
    better = True
    while better:
        better = False
        for i in range(count - 1):
            for j in range(i + 1, count):
                if i == 0 and j == count - 1:
                    continue
                gain = 0.0
                if i > 0:
                    gain += _far(points, order[i - 1], order[i]) - _far(points, order[i - 1], order[j])
                if j < count - 1:
                    gain += _far(points, order[j], order[j + 1]) - _far(points, order[i], order[j + 1])
                if gain > 1e-7:
                    low, high = i, j
                    while low < high:
                        order[low], order[high] = order[high], order[low]
                        low, high = low + 1, high - 1
                    better = True


@nb.njit(nogil=True, cache=True)
def _far(points, a, b):  # type: ignore[no-untyped-def]
    x, y, z = points[a, 0] - points[b, 0], points[a, 1] - points[b, 1], points[a, 2] - points[b, 2]
    return (x * x + y * y + z * z) ** 0.5
