"""A small lit ball that shows a finish."""

from functools import lru_cache

import numpy as np
from PyQt6.QtGui import QImage

from even_palette.app.stand.renderer import to_image
from even_palette.core.arrays import float32
from even_palette.core.colour.srgb import linear_to_srgb
from even_palette.core.material.model import Colour
from even_palette.core.raster.plane import to_levels8

LIGHT = float32((-0.45, 0.62, 0.64))


@lru_cache(maxsize=512)
def ball(side: int, colour: Colour, metalness: float, roughness: float, clear_coat: float) -> QImage:
    """A ball of this many pixels in a linear colour; transparent around it.

    Lambert and GGX (Walter et al. 2007) under one light, with a grey sky mirrored: enough to tell finishes apart.
    """
    y, x = np.mgrid[:side, :side].astype(np.float32)
    x, y = (x + 0.5) / side * 2 - 1, 1 - (y + 0.5) / side * 2
    inside = x * x + y * y
    z = np.sqrt(np.clip(1 - inside, 0, 1))
    normal = np.stack([x, y, z], axis=-1)
    light = LIGHT / np.linalg.norm(LIGHT)
    half = (light + float32((0, 0, 1))) / np.linalg.norm(light + float32((0, 0, 1)))
    base, facing = float32(colour), np.clip(normal @ light, 0, 1)[..., None]
    tone = np.clip(normal @ half, 0, 1)[..., None]

    def shine(rough: float) -> np.ndarray:
        a = max(rough * rough, 0.01)
        return np.asarray(a * a / (np.pi * (tone * tone * (a * a - 1) + 1) ** 2) * 0.25)

    mirrored = 0.35 + 0.5 * np.clip(normal[..., 1:2] * 2 * (1.2 - roughness), -0.6, 1)
    first = 0.04 + (base - 0.04) * metalness
    body = base * (1 - metalness) * (0.32 + 0.9 * facing)
    seen = body + first * (shine(roughness) * facing * 2 + mirrored) + clear_coat * 0.04 * (shine(0.1) * facing * 2 + 1)
    alpha = np.clip((1 - np.sqrt(inside)) * side / 2, 0, 1)
    rgb = linear_to_srgb(np.clip(float32(seen), 0, 1))
    return to_image(to_levels8(float32(np.concatenate([rgb, alpha[..., None]], axis=-1))))
