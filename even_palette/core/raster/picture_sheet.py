"""Pictures beside each other with their names, as one picture for reviews."""

from collections.abc import Sequence
from pathlib import Path

import numpy as np

from even_palette.core.arrays import Levels

FONT = Path(__file__).parents[2] / "app" / "fonts" / "Inter-SemiBold.otf"
GROUND, TEXT = 150, 24
"""Neutral greys, as colours are judged against one."""
GAP_PX, NAME_PX = 8, 30
FONT_PX = 17


def over_ground(pixels: Levels) -> Levels:
    """Pixels (H, W, 4) with straight alpha over the neutral ground, (H, W, 3); those without alpha as they are."""
    if pixels.shape[2] == 3:
        return pixels
    alpha = pixels[..., 3:].astype(np.float32) / 255
    return np.asarray(pixels[..., :3] * alpha + GROUND * (1 - alpha) + 0.5, dtype=np.uint8)


def picture_sheet(pictures: Sequence[tuple[str, Levels]], columns: int = 0) -> Levels:
    """Pictures of one size (h, w, 3 or 4) with their names below them, (H, W, 3) uint8, row by row.

    Without a number of columns the sheet is about as wide as it is high.
    """
    import OpenImageIO as oiio

    height, width = pictures[0][1].shape[:2]
    columns = columns or max(1, round((len(pictures) * (height + NAME_PX) / width) ** 0.5))
    columns = min(columns, len(pictures))
    rows = -(-len(pictures) // columns)
    across, down = width + GAP_PX, height + NAME_PX + GAP_PX
    sheet = np.full((rows * down + GAP_PX, columns * across + GAP_PX, 3), GROUND, dtype=np.uint8)
    for number, (name, pixels) in enumerate(pictures):
        row, column = divmod(number, columns)
        top, left = GAP_PX + row * down, GAP_PX + column * across
        sheet[top : top + height, left : left + width] = over_ground(pixels)
        line = oiio.ImageBuf(oiio.ImageSpec(width, NAME_PX, 3, "uint8"))
        oiio.ImageBufAlgo.fill(line, (GROUND / 255,) * 3)
        oiio.ImageBufAlgo.render_text(line, 2, NAME_PX - 10, name, FONT_PX, str(FONT), (TEXT / 255,) * 3)
        sheet[top + height : top + height + NAME_PX, left : left + width] = line.get_pixels("uint8")
    return sheet
