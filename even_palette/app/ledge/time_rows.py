"""Rows of time: a ruler, the moment that is shown, and a line of keys for each parameter that goes over time."""

from collections.abc import Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from even_palette.app.theme import grey, tokens

RULER_PX, ROW_PX, NAMES_PX, SIDE_PX = 22, 24, 168, 12
KEY_PX, NEAR_PX = 7, 9
STEP_S, LEAST_APART_S = 0.1, 0.05


@dataclass(frozen=True)
class Line:
    """A parameter with the times of its keys in seconds, and the encoded colours that they give, None for numbers."""

    key: str
    name: str
    times: tuple[float, ...]
    colours: tuple[tuple[float, float, float] | None, ...]


class TimeRows(QWidget):
    """A press or a drag on the ruler or beside the keys goes to a time, arrow keys step and go from line to line.

    `went` tells a time, `chosen` the parameter of a line, `moved` a key by its parameter and number, and its new time.
    """

    went = pyqtSignal(float)
    chosen = pyqtSignal(str)
    moved = pyqtSignal(str, int, float)
    finished = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Time")
        self.length, self.now, self.current = 4.0, 0.0, ""
        self.lines: list[Line] = []
        self._held: tuple[str, int] | None = None

    def sizeHint(self) -> QSize:
        return QSize(400, RULER_PX + ROW_PX * max(len(self.lines), 1) + 4)

    def show_time(self, now: float, length: float, lines: Sequence[Line], current: str) -> None:
        """Show a time in seconds on so long a ruler, and lines of which the current one stands out."""
        self.now, self.length, self.current = now, max(length, 0.1), current
        if len(lines) != len(self.lines):
            self.setFixedHeight(RULER_PX + ROW_PX * max(len(lines), 1) + 4)
        self.lines = list(lines)
        told = f"{now:.2f} of {self.length:g} seconds, {len(lines)} parameters go over time"
        self.setAccessibleDescription(told)
        self.update()

    # Where what lies

    def x_of(self, seconds: float) -> float:
        """Where a time lies."""
        left = NAMES_PX + SIDE_PX
        return left + max(self.width() - left - SIDE_PX, 1) * min(max(seconds / self.length, 0.0), 1.0)

    def y_of(self, row: int) -> float:
        """The middle of a line."""
        return RULER_PX + ROW_PX * (row + 0.5)

    def time_at(self, x: float) -> float:
        """The time at a place."""
        left = NAMES_PX + SIDE_PX
        return min(max((x - left) / max(self.width() - left - SIDE_PX, 1), 0.0), 1.0) * self.length

    def key_at(self, place: QPointF) -> tuple[Line, int] | None:
        """The line and the number of the key at a place."""
        row = int((place.y() - RULER_PX) // ROW_PX)
        if place.y() < RULER_PX or not 0 <= row < len(self.lines):
            return None
        line = self.lines[row]
        near = [number for number, time in enumerate(line.times) if abs(self.x_of(time) - place.x()) < NEAR_PX]
        return (line, min(near, key=lambda n: abs(self.x_of(line.times[n]) - place.x()))) if near else None

    # What is painted

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, t = QPainter(self), tokens()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        field = QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5)
        painter.fillRect(field, grey(t.field))
        painter.setPen(QPen(grey(t.strong_line if self.hasFocus() else t.line), 1))
        painter.drawRect(field)
        step = next(each for each in (0.25, 0.5, 1, 2, 5, 10, 30, 60, 300, 3600) if self.length / each <= 12)
        for number in range(int(self.length / step + 1e-6) + 1):
            x = self.x_of(number * step)
            painter.setPen(QPen(grey(t.line), 1))
            painter.drawLine(QPointF(x, RULER_PX - 4), QPointF(x, self.height() - 2))
            painter.setPen(grey(t.quiet_text))
            painter.drawText(QRectF(x - 24, 2, 48, RULER_PX - 6), Qt.AlignmentFlag.AlignCenter, f"{number * step:g} s")
        painter.drawText(QRectF(8, 2, NAMES_PX, RULER_PX - 6), Qt.AlignmentFlag.AlignVCenter, f"{self.now:.2f} s")
        for row, line in enumerate(self.lines):
            self._paint_line(painter, row, line)
        painter.setPen(QPen(grey(t.text), 2))
        x = self.x_of(self.now)
        painter.drawLine(QPointF(x, 2), QPointF(x, self.height() - 2))

    def _paint_line(self, painter: QPainter, row: int, line: Line) -> None:
        t, y, is_current = tokens(), self.y_of(row), line.key == self.current
        if is_current:
            painter.fillRect(QRectF(1, RULER_PX + ROW_PX * row, self.width() - 2, ROW_PX), grey(t.hover))
        painter.setPen(grey(t.text))
        name = painter.fontMetrics().elidedText(line.name, Qt.TextElideMode.ElideRight, NAMES_PX - 16)
        painter.drawText(QRectF(8, y - 10, NAMES_PX - 12, 20), Qt.AlignmentFlag.AlignVCenter, name)
        painter.setPen(QPen(grey(t.strong_line), 2 if is_current else 1))
        if len(line.times) > 1:
            painter.drawLine(QPointF(self.x_of(line.times[0]), y), QPointF(self.x_of(line.times[-1]), y))
        points = [(0, -KEY_PX), (KEY_PX, 0), (0, KEY_PX), (-KEY_PX, 0)]
        for time, colour in zip(line.times, line.colours, strict=True):
            x = self.x_of(time)
            painter.setPen(QPen(grey(t.text), 1.5))
            painter.setBrush(grey(t.text) if colour is None else QColor.fromRgbF(*colour))
            painter.drawPolygon(QPolygonF([QPointF(x + dx, y + dy) for dx, dy in points]))
        painter.setBrush(Qt.BrushStyle.NoBrush)

    # Mouse and keys

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() != Qt.MouseButton.LeftButton:
            return
        place = event.position()
        row = int((place.y() - RULER_PX) // ROW_PX)
        if place.y() >= RULER_PX and 0 <= row < len(self.lines):
            self.chosen.emit(self.lines[row].key)
        found = self.key_at(place)
        self._held = (found[0].key, found[1]) if found else None
        if found:
            self.went.emit(found[0].times[found[1]])
        elif place.x() >= NAMES_PX:
            self.went.emit(self.time_at(place.x()))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if not event.buttons() & Qt.MouseButton.LeftButton:
            return
        time = self.time_at(event.position().x())
        if self._held is None:
            self.went.emit(time)
            return
        key, number = self._held
        times = next((line.times for line in self.lines if line.key == key), ())
        if number < len(times):
            low = times[number - 1] + LEAST_APART_S if number else 0.0
            high = times[number + 1] - LEAST_APART_S if number + 1 < len(times) else self.length
            if low <= high:
                self.moved.emit(key, number, min(max(time, low), high))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._held is not None:
            self._held = None
            self.finished.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        key = Qt.Key(event.key())
        steps = {Qt.Key.Key_Left: -STEP_S, Qt.Key.Key_Right: STEP_S, Qt.Key.Key_Home: -self.now}
        rows = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}
        if key in steps:
            self.went.emit(min(max(self.now + steps[key], 0.0), self.length))
        elif key in rows and self.lines:
            keys = [line.key for line in self.lines]
            at = keys.index(self.current) + rows[key] if self.current in keys else 0
            self.chosen.emit(keys[min(max(at, 0), len(keys) - 1)])
        else:
            super().keyPressEvent(event)
