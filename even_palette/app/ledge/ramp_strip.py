"""The bands of a ramp with their stops."""

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, QRect, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from even_palette.app.stand.renderer import to_image
from even_palette.app.theme import grey, tokens
from even_palette.core.colour.hexcode import format_hex
from even_palette.core.tones.ramp import Ramp, Stop, ramp_strip

NAME_PX, ROW_PX, BAND_PX, STOP_PX, EDGE_PX = 80, 50, 28, 7, 10


class RampStrip(QWidget):
    """Bands with their stops below. A click chooses a stop, a double click adds one; stops are dragged."""

    chosen = pyqtSignal(int, int)
    dragged = pyqtSignal(float)
    dropped = pyqtSignal()
    added = pyqtSignal(int, float)
    removed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Stops of the ramp")
        self.setToolTip("Drag stops; a double click adds one, Delete takes the chosen one away")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setProperty("imageArea", True)
        self.ramp: Ramp | None = None
        self.row, self.stop = 0, 0
        self._held = False
        self._image: QImage | None = None

    def show_ramp(self, ramp: Ramp | None, row_: int, stop: int) -> None:
        """Show the rows, with one stop chosen."""
        if ramp is not self.ramp:
            self._image = to_image(ramp_strip(ramp, 512)) if ramp else None
        self.ramp, self.row, self.stop = ramp, row_, stop
        self.setMinimumHeight((len(ramp.rows) if ramp else 1) * ROW_PX + 4)
        self.update()

    def x_of(self, position: float) -> float:
        """Where a position lies."""
        return NAME_PX + EDGE_PX + position * (self.width() - NAME_PX - 2 * EDGE_PX)

    def _position(self, x: float) -> float:
        return min(max((x - NAME_PX - EDGE_PX) / max(1, self.width() - NAME_PX - 2 * EDGE_PX), 0.0), 1.0)

    def stop_point(self, row_: int, stop: int) -> QPoint:
        """The middle of a stop's handle."""
        assert self.ramp is not None
        return QPoint(
            round(self.x_of(self.ramp.rows[row_].stops[stop].position)), row_ * ROW_PX + BAND_PX + STOP_PX + 3
        )

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t, painter = tokens(), QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.ramp is None or self._image is None:
            return
        left, right = round(self.x_of(0)), round(self.x_of(1))
        for number, each in enumerate(self.ramp.rows):
            painter.setPen(grey(t.text))
            name = painter.fontMetrics().elidedText(each.name, Qt.TextElideMode.ElideRight, NAME_PX - 14)
            painter.drawText(QRect(6, number * ROW_PX, NAME_PX - 12, BAND_PX), Qt.AlignmentFlag.AlignVCenter, name)
            band = QRect(left, number * ROW_PX + 3, right - left, BAND_PX - 3)
            painter.drawImage(band, self._image, QRect(0, number, self._image.width(), 1))
            for at, stop in enumerate(each.stops):
                self._draw_stop(painter, number, at, stop)

    def _draw_stop(self, painter: QPainter, row_: int, at: int, stop: Stop) -> None:
        t, middle = tokens(), self.stop_point(row_, at)
        x, y = float(middle.x()), float(middle.y())
        shape = QPolygonF([
            QPointF(x, y - STOP_PX - 2), QPointF(x + STOP_PX, y - 2), QPointF(x + STOP_PX, y + STOP_PX),
            QPointF(x - STOP_PX, y + STOP_PX), QPointF(x - STOP_PX, y - 2),
        ])  # fmt: skip
        chosen = (row_, at) == (self.row, self.stop)
        painter.setPen(QPen(grey(t.text), 2.5 if chosen else 1))
        painter.setBrush(QColor(format_hex(stop.colour)))
        painter.drawPolygon(shape)

    def _stop_at(self, point: QPoint) -> tuple[int, int] | None:
        assert self.ramp is not None
        row_ = min(max(point.y() // ROW_PX, 0), len(self.ramp.rows) - 1)
        far = [abs(self.stop_point(row_, at).x() - point.x()) for at in range(len(self.ramp.rows[row_].stops))]
        best = int(np.argmin(far))
        return (row_, best) if far[best] <= STOP_PX + 3 else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self.ramp is None:
            return
        found = self._stop_at(event.position().toPoint())
        if found is not None:
            self._held = True
            self.chosen.emit(*found)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        point = event.position().toPoint()
        if self.ramp is not None and self._stop_at(point) is None:
            row_ = min(max(point.y() // ROW_PX, 0), len(self.ramp.rows) - 1)
            self.added.emit(row_, self._position(point.x()))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._held:
            self.dragged.emit(self._position(event.position().x()))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._held:
            self._held = False
            self.dropped.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        by = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()), 0)
        if self.ramp is not None and by:
            count = len(self.ramp.rows[self.row].stops)
            self.chosen.emit(self.row, min(max(self.stop + by, 0), count - 1))
        elif event.key() == Qt.Key.Key_Delete:
            self.removed.emit()
        else:
            super().keyPressEvent(event)

    def sizeHint(self) -> QSize:
        return QSize(480, 3 * ROW_PX)
