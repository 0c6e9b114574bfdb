"""How many colours have which hue and which lightness: bars in the colours that they count."""

import numpy as np
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from even_palette.app.theme import grey, tokens
from even_palette.core.arrays import Floats, Samples
from even_palette.core.colour.hexcode import encoded_to_hex
from even_palette.core.colour.srgb import linear_to_srgb
from even_palette.core.results.colour_spread import ColourCounts

HEIGHT_PX, NAME_PX, GAP_PX = 92, 16, 10


class ColourBars(QWidget):
    """Hues on the left, from red around to red; lightness on the right, from black to white."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(HEIGHT_PX)
        self.setAccessibleName("How many have which hue and lightness")
        self.setProperty("imageArea", True)
        self.counts: ColourCounts | None = None

    def show_counts(self, counts: ColourCounts) -> None:
        """Show how many there are of each."""
        self.counts = counts
        hues, steps = int((counts.hues > 0).sum()), int((counts.lightnesses > 0).sum())
        self.setAccessibleDescription(f"{hues} parts of the hues and {steps} steps of lightness occur")
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, t = QPainter(self), tokens()
        painter.fillRect(self.rect(), grey(t.stand))
        if self.counts is None:
            return
        half = (self.width() - GAP_PX) / 2
        left = QRectF(0, 0, half, self.height())
        self._paint(painter, left, "Hue", self.counts.hues, self.counts.hue_colours)
        right = QRectF(half + GAP_PX, 0, half, self.height())
        self._paint(painter, right, "Lightness", self.counts.lightnesses, self.counts.lightness_colours)

    def _paint(self, painter: QPainter, area: QRectF, name: str, counts: Samples, linear: Floats) -> None:
        t = tokens()
        painter.setPen(grey(t.text))
        low = area.bottom() - NAME_PX
        painter.drawText(QRectF(area.left(), low, area.width(), NAME_PX), Qt.AlignmentFlag.AlignCenter, name)
        painter.fillRect(QRectF(area.left(), low - 1, area.width(), 1), grey(t.line))
        most, width = max(int(counts.max()), 1), area.width() / len(counts)
        colours = linear_to_srgb(np.clip(linear, 0, 1)).tolist()
        for number, (count, (red, green, blue)) in enumerate(zip(counts.tolist(), colours, strict=True)):
            height = (low - 6) * count / most
            bar = QRectF(area.left() + number * width, low - 1 - height, max(width - 1, 1), height)
            painter.fillRect(bar, QColor(encoded_to_hex((red, green, blue))))
