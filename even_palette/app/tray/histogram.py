"""How many texels have which of 256 levels, with two lines that can be dragged: tolerances, or levels of a plane."""

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from even_palette.app.theme import grey, tokens
from even_palette.core.arrays import Samples

HEIGHT_PX, MARGIN_PX = 84, 4
LEVELS = 256
GRIP_PX = 12


class LineHistogram(QWidget):
    """Bars by level, their height by the logarithm of the count. `dragged` gives both lines, inner and outer.

    The lines are `greys` inside, 0..255.
    """

    dragged = pyqtSignal(float, float)
    dropped = pyqtSignal()

    def __init__(self, name: str, tip: str, height: int = HEIGHT_PX, greys: tuple[int, int] = (255, 0)) -> None:
        super().__init__()
        self.setFixedHeight(height)
        self.setAccessibleName(name)
        self.setToolTip(tip)
        self._greys = greys
        self.setMouseTracking(True)
        self.counts: Samples | None = None
        self.inner, self.outer = 0.0, 0.0
        self._held = ""

    def show_counts(self, counts: Samples | None, inner: float, outer: float) -> None:
        """Show counts by level (256,), None while they are made, and where the lines are."""
        self.counts, self.inner, self.outer = counts, inner, outer
        self.update()

    def x_of(self, level: float) -> float:
        """Where a level lies in the widget."""
        return MARGIN_PX + level / (LEVELS - 1) * (self.width() - 2 * MARGIN_PX)

    def _level_at(self, x: float) -> float:
        level = (x - MARGIN_PX) / max(1, self.width() - 2 * MARGIN_PX) * (LEVELS - 1)
        return float(min(max(round(level), 0), LEVELS - 1))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t, painter = tokens(), QPainter(self)
        painter.fillRect(self.rect(), grey(t.field))
        bottom = self.height() - MARGIN_PX
        room = bottom - MARGIN_PX
        if self.counts is not None and self.counts.any():
            heights = np.log1p(self.counts) / math.log1p(float(self.counts.max()))
            for level, height in enumerate(heights.tolist()):
                if height > 0:
                    left, right = self.x_of(level - 0.5), self.x_of(level + 0.5)
                    painter.fillRect(
                        QRectF(left, bottom - height * room, max(1.0, right - left), height * room), grey(t.strong_line)
                    )
        for tolerance, name in ((self.inner, "inner"), (self.outer, "outer")):
            x = self.x_of(tolerance)
            painter.setPen(QPen(grey(t.text), 3))
            painter.drawLine(QPointF(x, 0), QPointF(x, self.height()))
            painter.setPen(QPen(grey(self._greys[name == "outer"]), 1))
            painter.drawLine(QPointF(x, 0), QPointF(x, self.height()))
        painter.setPen(grey(t.line))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        x = event.position().x()
        near = {"inner": abs(self.x_of(self.inner) - x), "outer": abs(self.x_of(self.outer) - x)}
        if self.inner == self.outer:  # of two lines in one place the one on that side
            near["inner" if x < self.x_of(self.inner) else "outer"] = -1
        self._held = min(near, key=lambda name: near[name])
        self._drag(x)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._held:
            self._drag(event.position().x())
            return
        lines = (self.x_of(self.inner), self.x_of(self.outer))
        near = min(abs(event.position().x() - x) for x in lines) < GRIP_PX
        self.setCursor(Qt.CursorShape.SplitHCursor if near else Qt.CursorShape.ArrowCursor)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._held = ""
        self.dropped.emit()

    def _drag(self, x: float) -> None:
        level = self._level_at(x)
        if self._held == "inner":
            self.dragged.emit(level, max(level, self.outer))
        else:
            self.dragged.emit(min(level, self.inner), level)
