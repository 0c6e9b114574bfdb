"""The painted sign over the landing: a ferry, sun and water in nine flat colours, by day, by night and at festivals."""

import numpy as np

from even_palette.core.arrays import Levels
from even_palette.core.colour.hexcode import parse_hex
from even_palette.core.raster.plane import Encoding, Plane

WIDTH, HEIGHT = 384, 256
DAY = {
    "frame": "#5b3d26", "edge": "#3a2618", "sky": "#d9cfae", "sun": "#c9862f", "hull": "#7a3328", "cabin": "#e8e0c8",
    "smoke": "#9a9688", "water": "#3f6f73", "foam": "#8fb0a6",
}  # fmt: skip
NIGHT = {
    "frame": "#2b2320", "edge": "#181413", "sky": "#1d2740", "sun": "#e8e2c4", "hull": "#3a1f2c", "cabin": "#f0c26a",
    "smoke": "#3a4055", "water": "#14233a", "foam": "#34506e",
}  # fmt: skip
FESTIVAL = {
    "frame": "#7a2a3c", "edge": "#4a1626", "sky": "#f2c9a0", "sun": "#d8432f", "hull": "#2f6a4f", "cabin": "#f6ecd2",
    "smoke": "#c77aa0", "water": "#3a5fa8", "foam": "#e9d36a",
}  # fmt: skip
ROWS = {"Day": DAY, "Night": NIGHT, "Festival": FESTIVAL}


def colours_of(look: dict[str, str]) -> Levels:
    """The colours of a look in the order of DAY, (9, 3) uint8."""
    return np.array([parse_hex(look[name]) for name in DAY], dtype=np.uint8)


def sign_plane() -> Plane:
    """The picture, (256, 384, 3), as it is painted by day."""
    y, x = np.mgrid[:HEIGHT, :WIDTH]
    names = list(DAY)
    area = np.full((HEIGHT, WIDTH), names.index("sky"))
    area[np.hypot(x - 290, y - 84) < 34] = names.index("sun")
    for left, high, wide in ((150, 60, 20), (136, 44, 26), (116, 32, 30)):
        area[((x - left) / wide) ** 2 + ((y - high) / (wide * 0.55)) ** 2 < 1] = names.index("smoke")
    area[(x > 160) & (x < 180) & (y > 66) & (y < 120)] = names.index("edge")
    area[(x > 128) & (x < 236) & (y > 104) & (y < 150)] = names.index("cabin")
    for left in (142, 172, 202):
        area[(x > left) & (x < left + 18) & (y > 114) & (y < 130)] = names.index("edge")
    area[(y >= 146) & (y < 196) & (x > 84 + (y - 146) * 0.7) & (x < 296 - (y - 146) * 1.1)] = names.index("hull")
    wave = 186 + 5 * np.sin(x / 19) + 3 * np.sin(x / 7 + 1)
    area[y > wave] = names.index("water")
    for low in (0, 18, 36):
        crest = wave + 4 + low + 3 * np.sin(x / 11 + low)
        area[(y > crest) & (y < crest + 4) & (np.sin(x / 23 + low) > -0.2)] = names.index("foam")
    border = np.minimum(np.minimum(x, WIDTH - 1 - x), np.minimum(y, HEIGHT - 1 - y))
    area[border < 18] = names.index("frame")
    area[(border < 3) | ((border >= 16) & (border < 18))] = names.index("edge")
    return Plane(colours_of(DAY)[area], Encoding.SRGB)
