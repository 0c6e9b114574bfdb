"""Chance by hashing, so that a number depends on what it belongs to and on nothing else."""

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
