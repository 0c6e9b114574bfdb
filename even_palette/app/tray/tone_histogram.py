"""The greys of a neutral before and after its curve."""

import numpy as np
from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from even_palette.app.theme import grey, tokens
from even_palette.core.tones.neutral import Histogram

HEIGHT_PX, MARGIN_PX, BARS = 92, 4, 128


class ToneHistogram(QWidget):
    """Full bars are the greys now, the line is what they were; below lies the scale from black to white."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(HEIGHT_PX)
        self.setAccessibleName("Greys before and after")
        self.setToolTip("Bars: the greys now. Line: before the curve. The marks hold nine tenths of the region")
        self.before: Histogram | None = None
        self.after: Histogram | None = None

    def show_facts(self, before: Histogram, after: Histogram) -> None:
        """Show the histograms of a neutral before and after."""
        self.before, self.after = before, after
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t, painter = tokens(), QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), grey(t.field))
        room, foot = self.height() - 14, 8
        width = self.width() - 2 * MARGIN_PX
        for x in range(width):
            level = round(255 * x / max(1, width - 1))
            painter.fillRect(QRectF(MARGIN_PX + x, self.height() - foot - 1, 1, foot), grey(level))
        if self.before is not None and self.after is not None:
            for histogram, full in ((self.after, True), (self.before, False)):
                parts = histogram.weights.reshape(BARS, -1).sum(axis=1)
                heights = np.sqrt(parts / max(1e-12, parts.max())) * (room - 6)
                step = width / BARS
                if full:
                    for number, height in enumerate(heights.tolist()):
                        painter.fillRect(
                            QRectF(MARGIN_PX + number * step, room - height, step, height), grey(t.strong_line)
                        )
                else:
                    points = [QPointF(MARGIN_PX + (n + 0.5) * step, room - h) for n, h in enumerate(heights.tolist())]
                    painter.setPen(QPen(grey(t.text), 1.4))
                    painter.drawPolyline(QPolygonF(points))
            painter.setPen(QPen(grey(t.text), 2))
            for share in (0.05, 0.95):
                mark = MARGIN_PX + self.after.at(share) * width
                painter.drawLine(QPointF(mark, room), QPointF(mark, room - 10))
        painter.setPen(grey(t.line))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
