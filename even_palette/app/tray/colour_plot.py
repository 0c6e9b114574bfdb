"""Colours where they lie in OKLab: hue and chroma around a middle, lightness beside it."""

from collections.abc import Sequence

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QHelpEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QToolTip, QWidget

from even_palette.app import plain
from even_palette.app.theme import grey, tokens
from even_palette.core.arrays import Floats
from even_palette.core.colour.hexcode import encoded_to_hex
from even_palette.core.colour.oklab import linear_to_oklab
from even_palette.core.colour.srgb import linear_to_srgb

HEIGHT_PX, DOT_PX, GAP_PX = 176, 6, 34
MOST_CHROMA = 0.33
"""About the most that sRGB has (its blue and magenta)."""


class ColourPlot(QWidget):
    """Dots in their own colours. Which one it is, is told under the mouse; `lines` join those that are told."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(HEIGHT_PX)
        self.setAccessibleName("Colours in OKLab")
        self.setProperty("imageArea", True)
        self.names: list[str] = []
        self.linear: Floats = np.zeros((0, 3), np.float32)
        self.joined: tuple[int, int] | None = None

    def show_colours(self, names: Sequence[str], linear: Floats, joined: tuple[int, int] | None = None) -> None:
        """Show linear colours (n, 3) with their names, two of them joined by a line."""
        self.names, self.linear, self.joined = list(names), linear, joined
        self.setAccessibleDescription(", ".join(self.names))
        self.update()

    def place(self, number: int) -> QPointF:
        """Where a colour lies in the plane of hue and chroma."""
        lab = linear_to_oklab(self.linear[number])
        middle, radius = self._circle()
        return middle + QPointF(float(lab[1]), -float(lab[2])) * (radius / MOST_CHROMA)

    def _height(self, number: int) -> QPointF:
        lightness = float(linear_to_oklab(self.linear[number])[0])
        field = self._column()
        return QPointF(field.center().x(), field.bottom() - min(max(lightness, 0.0), 1.0) * field.height())

    def _circle(self) -> tuple[QPointF, float]:
        radius = min(self.height(), self.width() - GAP_PX) / 2 - DOT_PX - 2
        return QPointF((self.width() - GAP_PX) / 2, self.height() / 2), radius

    def _column(self) -> QRectF:
        return QRectF(self.width() - 22, DOT_PX + 4, 14, self.height() - 2 * DOT_PX - 8)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, t = QPainter(self), tokens()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), grey(t.stand))
        middle, radius = self._circle()
        painter.setPen(QPen(grey(t.line), 1))
        for share in (1 / 3, 2 / 3, 1.0):
            painter.drawEllipse(middle, radius * share, radius * share)
        column = self._column()
        painter.drawLine(QPointF(column.center().x(), column.top()), QPointF(column.center().x(), column.bottom()))
        if self.joined is not None:
            painter.setPen(QPen(grey(t.text), 1.4))
            for where in (self.place, self._height):
                painter.drawLine(where(self.joined[0]), where(self.joined[1]))
        painter.setPen(QPen(grey(t.strong_line), 1))
        encoded = linear_to_srgb(np.clip(self.linear, 0, 1))
        for number, (red, green, blue) in enumerate(encoded.tolist()):
            painter.setBrush(QColor(encoded_to_hex((red, green, blue))))
            for where in (self.place, self._height):
                painter.drawEllipse(where(number), DOT_PX, DOT_PX)
        painter.setBrush(Qt.BrushStyle.NoBrush)

    def event(self, event) -> bool:  # type: ignore[no-untyped-def]
        if isinstance(event, QHelpEvent):
            found = [name for number, name in enumerate(self.names) if self._near(number, QPointF(event.pos()))]
            QToolTip.showText(event.globalPos(), plain.tip(", ".join(found)) if found else "", self)
            return True
        return bool(super().event(event))

    def _near(self, number: int, at: QPointF) -> bool:
        return any((where(number) - at).manhattanLength() < DOT_PX * 2 for where in (self.place, self._height))
