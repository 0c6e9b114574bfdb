"""A slider whose track shows the colours that it leads to."""

from PyQt6.QtCore import QEvent, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFocusEvent, QKeyEvent, QLinearGradient, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from even_palette.app.theme import grey, tokens

HANDLE_PX = 8


class Track(QWidget):
    """A position 0..1. `moved` while dragging or by keys, `released` at the end of a drag."""

    moved = pyqtSignal(float)
    released = pyqtSignal()

    def __init__(self, name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setProperty("imageArea", True)
        self.position = 0.0
        self._colours: list[QColor] = []

    def sizeHint(self) -> QSize:
        return QSize(120, 24)

    def show_position(self, position: float, colours: list[QColor]) -> None:
        """Show a position and the colours along the track."""
        self.position, self._colours = min(max(position, 0.0), 1.0), colours
        self.update()

    def _groove(self) -> QRectF:
        return QRectF(self.rect()).adjusted(HANDLE_PX / 2 + 1, 5, -HANDLE_PX / 2 - 1, -5)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        groove = self._groove()
        gradient = QLinearGradient(groove.topLeft(), groove.topRight())
        for index, colour in enumerate(self._colours):
            gradient.setColorAt(index / max(1, len(self._colours) - 1), colour)
        painter.fillRect(groove, gradient if self._colours else grey(tokens().field))
        painter.setPen(QPen(grey(tokens().strong_line), 1))
        painter.drawRect(groove)
        x = groove.left() + self.position * groove.width()
        handle = QRectF(x - HANDLE_PX / 2, 2, HANDLE_PX, self.height() - 4)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(grey(0), 1))
        painter.setBrush(grey(255))
        painter.drawRoundedRect(handle, 2, 2)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(grey(tokens().text), 2))
            painter.drawRect(QRectF(self.rect()).adjusted(1, 1, -1, -1))

    def _move_to(self, x: float) -> None:
        groove = self._groove()
        self.moved.emit(min(max((x - groove.left()) / groove.width(), 0.0), 1.0))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() == Qt.MouseButton.LeftButton:
            self._move_to(event.position().x())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.buttons() & Qt.MouseButton.LeftButton:
            self._move_to(event.position().x())

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self.released.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        step = 0.1 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 0.01
        move = {Qt.Key.Key_Left: -step, Qt.Key.Key_Down: -step, Qt.Key.Key_Right: step, Qt.Key.Key_Up: step}
        key = Qt.Key(event.key())
        if key in move:
            self.moved.emit(min(max(self.position + move[key], 0.0), 1.0))
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if not event.isAutoRepeat():
            self.released.emit()

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        self.update()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        self.update()

    def changeEvent(self, event: QEvent | None) -> None:
        self.update()
