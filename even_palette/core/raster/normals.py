"""Normal maps: which way green points, and the third part of those that store two."""

import numpy as np

from even_palette.core.arrays import Samples
from even_palette.core.raster.plane import stored_values

LEAST_CLEAR = 0.2
"""How far the slopes of a picture must agree (correlation) for it to tell which way green points."""
BAND = 256
PATCH, PATCHES = 64, 4
"""Texels a side of the patches that are looked at, spread over the whole sheet, and how many there are a side."""


def points_down(samples: Samples) -> bool | None:
    """Whether the green of a normal map (H, W, 2 or more) points down; None where the picture does not tell.

    The slopes of a surface have no curl: how the slope to the right changes downwards is how the slope downwards
    changes to the right. With green turned over the two have opposite signs.
    """
    height, width, channels = samples.shape
    if height < 3 or width < 3 or channels < 2:
        return None
    rows, columns = (np.linspace(0, max(0, side - PATCH), PATCHES).astype(int) for side in (height, width))
    cut = np.stack([samples[r : r + PATCH, c : c + PATCH, :2] for r in rows for c in columns])
    x, y = np.moveaxis(np.asarray(stored_values(cut), np.float64) * 2 - 1, -1, 0)
    z = np.sqrt(np.maximum(1 - x * x - y * y, 0.01))
    across, down = np.gradient(-x / z, axis=1), np.gradient(y / z, axis=2)
    size = float(np.sqrt(np.mean(across**2) * np.mean(down**2)))
    agree = float(np.mean(across * down)) / size if size > 0 else 0.0
    return None if abs(agree) < LEAST_CLEAR else agree < 0


def as_stored(samples: Samples, green_down: bool, strength: float = 1.0) -> Samples:
    """The samples of a normal map with green up and all three parts, in their own numbers (H, W, 3).

    Slopes are multiplied by `strength`; then normals have length 1 again.
    """
    levels = samples.dtype.kind != "f"
    most = float(np.iinfo(samples.dtype).max) if levels else 1.0
    found = np.empty((*samples.shape[:2], 3), samples.dtype)
    found[..., 0] = samples[..., 0]
    green = samples[..., 1]
    found[..., 1] = np.asarray(most - green, samples.dtype) if green_down else green
    if samples.shape[2] > 2:
        found[..., 2] = samples[..., 2]
    else:
        x, y = np.moveaxis(np.asarray(stored_values(samples[..., :2]), np.float32) * 2 - 1, -1, 0)
        z = (np.sqrt(np.maximum(1 - x * x - y * y, 0)) + 1) / 2
        found[..., 2] = np.asarray(z * most + (0.5 if levels else 0), samples.dtype)
    if strength == 1:
        return found
    for first in range(0, len(found), BAND):
        band = stored_values(found[first : first + BAND]) * 2 - 1
        band[..., :2] *= np.float32(strength)
        length = np.linalg.norm(band, axis=-1, keepdims=True)
        whole = (band / np.where(length > 0, length, 1) + 1) / 2
        found[first : first + BAND] = np.asarray(whole * most + (0.5 if levels else 0), samples.dtype)
    return found
