"""Masks of many regions resolved to weights in one pass, compiled: the same numbers as `regions/weights` gives."""

from collections.abc import Sequence

import numba as nb
import numpy as np

from even_palette.core.arrays import Levels, Samples


def resolve_tile(masks: Samples, by_order: bool, locked: Sequence[bool] = ()) -> tuple[Levels, Samples, Samples]:
    """Weights of masks (R, h, w) uint16 as they are shipped; those that are `locked` come first.

    Gives (R, h, w) uint8; a quarter of the sum of the masks, (h, w) uint16; and how many texels are covered (sum at
    least 254/255), over (more than 256/255) and empty (below 1/255), (3,) int64.
    """
    count, height, width = masks.shape
    levels = np.empty((count, height, width), dtype=np.uint8)
    quarter = np.empty((height, width), dtype=np.uint16)
    counts = np.zeros(3, dtype=np.int64)
    held = np.array([*locked, *[False] * (count - len(locked))], dtype=np.bool_)
    _resolve(np.ascontiguousarray(masks), by_order, held, levels, quarter, counts)
    return levels, quarter, counts


@nb.njit(nogil=True, cache=True)
def _resolve(masks, by_order, held, levels, quarter, counts):  # type: ignore[no-untyped-def]
    count, height, width = masks.shape
    one, zero = np.float32(1), np.float32(0)
    values = np.empty(count + 1, dtype=np.float32)
    floors = np.empty(count + 1, dtype=np.float32)
    for y in range(height):
        for x in range(width):
            total, left = zero, one
            for r in range(count):
                values[r] = np.float32(masks[r, y, x]) / np.float32(65535)
                total += values[r]
            for turn in range(2):  # first what is locked, then the others
                crowd, used = zero, zero
                for r in range(count):
                    if held[r] == (turn == 0):
                        crowd += values[r]
                for r in range(count):
                    if held[r] != (turn == 0):
                        continue
                    m = values[r]
                    if by_order:
                        values[r] = m * left
                        left = left * (one - m)
                    elif left > zero:
                        values[r] = m / max(one, crowd / left)
                        used += values[r]
                    else:
                        values[r] = zero
                if not by_order:
                    left = max(zero, left - used)
            used = zero
            for r in range(count):
                used += values[r]
            values[count] = one - used
            missing = 255
            for r in range(count + 1):
                level = min(max(values[r] * np.float32(255), zero), np.float32(255))
                floors[r] = np.floor(level + np.float32(1e-4))
                values[r] = level - floors[r]
                missing -= int(floors[r])
            while missing > 0:
                best = 0
                for r in range(1, count + 1):
                    if values[r] > values[best]:
                        best = r
                floors[best] += one
                values[best] = np.float32(-1)
                missing -= 1
            for r in range(count):
                levels[r, y, x] = np.uint8(floors[r])
            quarter[y, x] = np.uint16(min(total / np.float32(4), one) * np.float32(65535) + np.float32(0.5))
            counts[0] += total >= one - np.float32(1 / 255)
            counts[1] += total > one + np.float32(1 / 255)
            counts[2] += total < np.float32(1 / 255)
