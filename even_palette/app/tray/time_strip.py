"""A strip of time: where it stands, and the keys of what goes over time."""

from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from even_palette.app.theme import grey, tokens

HEIGHT_PX, SIDE_PX, KEY_PX, NEAR_PX = 44, 10, 6, 8
STEP_S = 0.1


class TimeStrip(QWidget):
    """A click or a drag goes to a time, and arrow keys step; `went` tells it. A press on a key goes to that."""

    went = pyqtSignal(float)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(HEIGHT_PX)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Time")
        self.length, self.now = 4.0, 0.0
        self.keys: list[float] = []

    def show_time(self, now: float, length: float, keys: Sequence[float]) -> None:
        """Show a time in seconds on a strip so long, with keys at these times."""
        self.now, self.length, self.keys = now, max(length, 0.1), list(keys)
        self.setAccessibleDescription(f"{now:.2f} of {self.length:g} seconds, {len(self.keys)} keys")
        self.update()

    def x_of(self, seconds: float) -> float:
        """Where a time lies."""
        return SIDE_PX + (self.width() - 2 * SIDE_PX) * min(max(seconds / self.length, 0.0), 1.0)

    def time_at(self, x: float) -> float:
        """The time at a place; that of a key close by."""
        near = min(self.keys, key=lambda each: abs(self.x_of(each) - x), default=None)
        if near is not None and abs(self.x_of(near) - x) < NEAR_PX:
            return near
        return min(max((x - SIDE_PX) / max(self.width() - 2 * SIDE_PX, 1), 0.0), 1.0) * self.length

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, t = QPainter(self), tokens()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        field = QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5)
        painter.fillRect(field, grey(t.field))
        painter.setPen(QPen(grey(t.strong_line if self.hasFocus() else t.line), 1))
        painter.drawRect(field)
        middle = self.height() * 0.62
        painter.setPen(QPen(grey(t.line), 1))
        painter.drawLine(QPointF(SIDE_PX, middle), QPointF(self.width() - SIDE_PX, middle))
        step = next(each for each in (0.5, 1, 2, 5, 10, 30, 60, 300, 3600) if self.length / each <= 8)
        for number in range(int(self.length / step + 1e-6) + 1):
            x = self.x_of(number * step)
            painter.setPen(QPen(grey(t.line), 1))
            painter.drawLine(QPointF(x, middle - 5), QPointF(x, middle + 5))
            painter.setPen(grey(t.quiet_text))
            painter.drawText(QRectF(x - 20, 1, 40, 14), Qt.AlignmentFlag.AlignCenter, f"{number * step:g}")
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(grey(t.text))
        for key in self.keys:
            x = self.x_of(key)
            points = [(0, -KEY_PX), (KEY_PX, 0), (0, KEY_PX), (-KEY_PX, 0)]
            painter.drawPolygon(QPolygonF([QPointF(x + dx, middle + dy) for dx, dy in points]))
        painter.setPen(QPen(grey(t.text), 2))
        x = self.x_of(self.now)
        painter.drawLine(QPointF(x, 15), QPointF(x, self.height() - 2))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() == Qt.MouseButton.LeftButton:
            self.went.emit(self.time_at(event.position().x()))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.buttons() & Qt.MouseButton.LeftButton:
            self.went.emit(self.time_at(event.position().x()))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        steps = {Qt.Key.Key_Left: -STEP_S, Qt.Key.Key_Right: STEP_S, Qt.Key.Key_Home: -self.now}
        if (step := steps.get(Qt.Key(event.key()))) is not None:
            self.went.emit(min(max(self.now + step, 0.0), self.length))
        else:
            super().keyPressEvent(event)
