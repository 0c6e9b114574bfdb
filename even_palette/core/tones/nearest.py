"""The loops of palettes, compiled: which entry is nearest, and what each entry gathers."""

import numba as nb
import numpy as np

from even_palette.core.arrays import Floats, Samples
from even_palette.core.jobs import CancelToken, in_parts


def nearest_entries(
    points: Floats, entries: Floats, farther: Floats | None = None, cancel: CancelToken | None = None
) -> tuple[Samples, Floats]:
    """The nearest of entries (n, 3) to each of points (m, 3), the first of equals: numbers (m,), squared distances.

    `farther` (n,) is added to the squared distances of each entry. Raises Cancelled.
    """
    more = np.zeros(len(entries), dtype=np.float32) if farther is None else farther
    which, far = np.empty(len(points), dtype=np.int32), np.empty(len(points), dtype=np.float32)
    columns = np.ascontiguousarray(entries.T)
    in_parts(len(points), lambda first, last: _nearest(points, columns, more, first, last, which, far), cancel)
    return which, far


@nb.njit(nogil=True, cache=True)
def _nearest(points, columns, more, first, last, which, far):  # type: ignore[no-untyped-def]
    count = columns.shape[1]
    found = np.empty(count, dtype=np.float32)
    for at in range(first, last):
        x, y, z = points[at, 0], points[at, 1], points[at, 2]
        for entry in range(count):
            dx, dy, dz = x - columns[0, entry], y - columns[1, entry], z - columns[2, entry]
            found[entry] = dx * dx + dy * dy + dz * dz + more[entry]
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


@nb.njit(nogil=True, cache=True)
def diffuse(rgb, linear, entries, grid, out):  # type: ignore[no-untyped-def]
    """Write into out (H, W) the entry of each texel of rgb (H, W, 3); errors are passed on in light, forth and back.

    `linear` (256,) is the light of levels, `entries` (n, 3) that of the palette, `grid` (64, 64, 64) the nearest entry
    of encoded colours.
    """
    height, width = rgb.shape[:2]
    here = np.zeros((width + 2, 3), dtype=np.float32)
    below = np.zeros((width + 2, 3), dtype=np.float32)
    want = np.zeros(3, dtype=np.float32)
    place = np.zeros(3, dtype=np.int64)
    for y in range(height):
        forth = y % 2 == 0
        for step in range(width):
            x = step if forth else width - 1 - step
            for c in range(3):
                want[c] = min(max(linear[rgb[y, x, c]] + here[x + 1, c], 0.0), 1.0)
                v = want[c]
                v = v * 12.92 if v <= 0.0031308 else 1.055 * v ** (1 / 2.4) - 0.055
                place[c] = int(v * 63 + 0.5)
            entry = grid[place[0], place[1], place[2]]
            out[y, x] = entry
            ahead = 1 if forth else -1
            for c in range(3):
                error = want[c] - entries[entry, c]
                here[x + 1 + ahead, c] += error * 7 / 16
                below[x + 1 - ahead, c] += error * 3 / 16
                below[x + 1, c] += error * 5 / 16
                below[x + 1 + ahead, c] += error / 16
        for x in range(width + 2):
            for c in range(3):
                here[x, c], below[x, c] = below[x, c], 0.0
