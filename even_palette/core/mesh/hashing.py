"""Random numbers by hashing, so that they depend on what they belong to and on nothing else."""

import numba as nb
import numpy as np

from even_palette.core.arrays import Floats, Samples, float32


def hashed_unit(numbers: Samples, seed: int) -> Floats:
    """A value 0..1 for each of (N,) whole numbers: PCG output hash (Jarzynski and Olano 2020) of number and seed."""
    with np.errstate(over="ignore"):
        state = numbers.astype(np.uint32) * np.uint32(0x9E3779B1) + np.uint32(seed & 0xFFFFFFFF)
        return float32(_pcg(_pcg(state)).astype(np.float64) / 0xFFFFFFFF)


def _pcg(value: Samples) -> Samples:
    state = value * np.uint32(747796405) + np.uint32(2891336453)
    word = ((state >> ((state >> np.uint32(28)) + np.uint32(4))) ^ state) * np.uint32(277803737)
    return np.asarray((word >> np.uint32(22)) ^ word)


@nb.njit(nogil=True, cache=True, inline="always")
def pcg_compiled(value):  # type: ignore[no-untyped-def]
    """The same hash for compiled loops; takes and gives a uint32."""
    state = np.uint32(value * np.uint32(747796405) + np.uint32(2891336453))
    word = np.uint32(((state >> np.uint32((state >> np.uint32(28)) + np.uint32(4))) ^ state) * np.uint32(277803737))
    return np.uint32((word >> np.uint32(22)) ^ word)


def number_colours(count: int) -> Samples:
    """A colour for each of `count` < 2^24 numbers, (count, 3) uint8, no two the same and none black.

    Multiplying by an odd number permutes the 24-bit numbers.
    """
    codes = ((np.arange(1, count + 1, dtype=np.uint64) * np.uint64(0x9E3779B1)) & np.uint64(0xFFFFFF)).astype(np.uint32)
    return np.stack([codes >> 16, codes >> 8 & 255, codes & 255], axis=-1).astype(np.uint8)
