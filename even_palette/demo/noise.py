"""Noise for painting: deterministic for a seed."""

import numpy as np
from scipy.ndimage import gaussian_filter

from even_palette.core.arrays import Floats, float32


def value_noise(shape: tuple[int, int], cells: tuple[float, float], seed: int) -> Floats:
    """Smooth noise 0..1, (H, W), from a lattice of random values; `cells` are texels a step."""
    rng = np.random.default_rng(seed)
    rows = np.arange(shape[0]) / cells[0]
    columns = np.arange(shape[1]) / cells[1]
    lattice = rng.random((int(rows[-1]) + 2, int(columns[-1]) + 2))
    top, left = rows.astype(int), columns.astype(int)
    down, across = _ease(rows - top)[:, None], _ease(columns - left)[None, :]
    upper = lattice[top][:, left] * (1 - across) + lattice[top][:, left + 1] * across
    lower = lattice[top + 1][:, left] * (1 - across) + lattice[top + 1][:, left + 1] * across
    return float32(upper * (1 - down) + lower * down)


def _ease(t: np.ndarray) -> np.ndarray:
    return np.asarray(t * t * (3 - 2 * t))


def layered(shape: tuple[int, int], cells: tuple[float, float], seed: int, layers: int = 4) -> Floats:
    """Several octaves of value noise, 0..1 about 0.5, each half as large and half as strong as the one before."""
    total, weight = np.zeros(shape, dtype=np.float32), 0.0
    for layer in range(layers):
        size = (max(1.0, cells[0] / 2**layer), max(1.0, cells[1] / 2**layer))
        total += value_noise(shape, size, seed + layer) * 0.5**layer
        weight += 0.5**layer
    return float32(total / weight)


def soften(values: Floats, radius: float) -> Floats:
    """A Gaussian blur of (H, W) by `radius` texels (standard deviation), edges repeated."""
    return float32(gaussian_filter(values.astype(np.float64), radius, mode="nearest", truncate=3.0))
