"""Texture look-up as a runtime does it, without mips: the reference for the samplers of every back end."""

import numpy as np

from even_palette.core.arrays import Floats, float32
from even_palette.core.raster.plane import Plane


def sample(plane: Plane, uv: Floats, linear: bool = True, repeat: bool = False) -> Floats:
    """Sample a plane (H, W, C) at uv (..., 2), giving (..., C); sRGB colour is decoded before it is mixed.

    u runs right, v runs down from the top left corner (glTF 2.0, section 3.8.1); texel centres lie at (i + 0.5) / n.
    `linear` mixes the four nearest texels (OpenGL 4.6 section 8.14.3), otherwise the nearest one is taken.
    """
    height, width = plane.height, plane.width
    x = float32(uv)[..., 0] * width
    y = float32(uv)[..., 1] * height

    def fetch(column: Floats, row: Floats) -> Floats:
        i, j = column.astype(np.int64), row.astype(np.int64)
        if repeat:
            return plane.fetch(j % height, i % width)
        return plane.fetch(np.clip(j, 0, height - 1), np.clip(i, 0, width - 1))

    if not linear:
        return fetch(float32(np.floor(x)), float32(np.floor(y)))
    x, y = x - np.float32(0.5), y - np.float32(0.5)
    left, top = float32(np.floor(x)), float32(np.floor(y))
    across, down = (x - left)[..., None], (y - top)[..., None]
    upper = fetch(left, top) * (1 - across) + fetch(left + 1, top) * across
    lower = fetch(left, top + 1) * (1 - across) + fetch(left + 1, top + 1) * across
    return float32(upper * (1 - down) + lower * down)


def texel_centres(height: int, width: int) -> Floats:
    """The uv of every texel centre of an image; (height, width, 2)."""
    u = (np.arange(width, dtype=np.float32) + np.float32(0.5)) / np.float32(width)
    v = (np.arange(height, dtype=np.float32) + np.float32(0.5)) / np.float32(height)
    return np.stack(np.broadcast_arrays(u[None, :], v[:, None]), axis=-1)
