"""Outlines and a pattern of dots as pixels over a picture, and the pixels inside a ring."""

from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QImage, QPainter, QPolygonF

from even_palette.app.theme import grey
from even_palette.core.arrays import Bools


def marked(edges: Bools, filled: Bools) -> Any:
    """White edges with a black rim, and a pattern of dots where `filled`: (h, w, 4) uint8."""
    rim = edges.copy()
    rim[1:] |= edges[:-1]
    rim[:-1] |= edges[1:]
    rim[:, 1:] |= edges[:, :-1]
    rim[:, :-1] |= edges[:, 1:]
    pixels = np.zeros((*edges.shape, 4), dtype=np.uint8)
    rows, columns = np.arange(edges.shape[0])[:, None], np.arange(edges.shape[1])[None, :]
    dots = filled & (rows % 4 == 0) & (columns % 4 == 0)
    shade = filled & (rows % 4 == 1) & (columns % 4 == 1)
    pixels[shade] = (0, 0, 0, 170)
    pixels[dots] = (255, 255, 255, 230)
    pixels[rim] = (0, 0, 0, 220)
    pixels[edges] = (255, 255, 255, 255)
    return pixels


def area_mask(ring: list[QPointF], width: int, height: int) -> Bools:
    """The pixels (height, width) inside a ring of points."""
    image = QImage(width, height, QImage.Format.Format_Grayscale8)
    image.fill(0)
    painter = QPainter(image)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(grey(255))
    painter.drawPolygon(QPolygonF(ring))
    painter.end()
    bits = image.constBits()
    assert bits is not None
    return np.frombuffer(bits.asstring(image.sizeInBytes()), dtype=np.uint8).reshape(height, -1)[:, :width] > 0
