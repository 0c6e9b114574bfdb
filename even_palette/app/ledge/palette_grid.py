"""Entries of a palette across, its rows down."""

from PyQt6.QtCore import QPoint, QRect, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from even_palette.app.theme import grey, tokens
from even_palette.core.colour.hexcode import format_hex
from even_palette.core.tones.palette import Palette

NAME_PX, ROW_PX, LEAST_ENTRY_PX, MOST_ENTRY_PX = 92, 28, 3, 40


class PaletteGrid(QWidget):
    """Entries across, rows down. A click or the arrow keys choose an entry; it is moved by drag."""

    chosen = pyqtSignal(int, int)
    moved = pyqtSignal(int, int)

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Entries of the palette")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setProperty("imageArea", True)
        self.palette_: Palette | None = None
        self.row, self.entry = 0, 0
        self._held = -1
        self._over = -1

    def show_palette(self, palette: Palette | None, row: int, entry: int) -> None:
        """Show the entries, with one of them chosen."""
        self.palette_, self.row, self.entry = palette, row, entry
        rows = len(palette.rows) if palette else 1
        self.setMinimumHeight(rows * ROW_PX + 4)
        self.setMinimumWidth(NAME_PX + LEAST_ENTRY_PX * (palette.size if palette else 1))
        self.update()

    def _step(self) -> float:
        assert self.palette_ is not None
        return min(MOST_ENTRY_PX, max(LEAST_ENTRY_PX, (self.width() - NAME_PX - 2) / self.palette_.size))

    def cell(self, row: int, entry: int) -> QRect:
        """Where an entry of a row is drawn."""
        left, right = (round(NAME_PX + self._step() * each) for each in (entry, entry + 1))
        return QRect(left, row * ROW_PX + 2, right - left, ROW_PX - 4)

    def _at(self, point: QPoint) -> tuple[int, int]:
        assert self.palette_ is not None
        entry = int((point.x() - NAME_PX) / self._step())
        return (
            min(max(point.y() // ROW_PX, 0), len(self.palette_.rows) - 1),
            min(max(entry, 0), self.palette_.size - 1),
        )

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t, painter = tokens(), QPainter(self)
        if self.palette_ is None:
            return
        for number, row in enumerate(self.palette_.rows):
            painter.setPen(grey(t.text))
            name = painter.fontMetrics().elidedText(row.name, Qt.TextElideMode.ElideRight, NAME_PX - 14)
            box = QRect(6, number * ROW_PX, NAME_PX - 12, ROW_PX)
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, name)
            for entry, colour in enumerate(row.colours):
                painter.fillRect(self.cell(number, entry), QColor(format_hex(colour)))
        if self._held >= 0 and self._over >= 0:
            x = self.cell(0, self._over).left()
            painter.fillRect(QRect(x - 1, 0, 3, len(self.palette_.rows) * ROW_PX), grey(t.text))
        chosen = self.cell(self.row, self.entry)
        painter.setPen(QPen(grey(255), 1))
        painter.drawRect(chosen.adjusted(0, 0, -1, -1))
        painter.setPen(QPen(grey(0), 2 if self.hasFocus() else 1))
        painter.drawRect(chosen.adjusted(-2, -2, 1, 1))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self.palette_ is not None:
            row, entry = self._at(event.position().toPoint())
            self._held = entry
            self.chosen.emit(row, entry)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._held >= 0:
            _, self._over = self._at(event.position().toPoint())
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        held, over, self._held, self._over = self._held, self._over, -1, -1
        if 0 <= held != over >= 0:
            self.moved.emit(held, over)
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        steps = {Qt.Key.Key_Left: (0, -1), Qt.Key.Key_Right: (0, 1), Qt.Key.Key_Up: (-1, 0), Qt.Key.Key_Down: (1, 0)}
        down, across = steps.get(Qt.Key(event.key()), (0, 0))
        if self.palette_ is None or not (down or across):
            super().keyPressEvent(event)
            return
        row = min(max(self.row + down, 0), len(self.palette_.rows) - 1)
        self.chosen.emit(row, min(max(self.entry + across, 0), self.palette_.size - 1))

    def sizeHint(self) -> QSize:
        return QSize(480, 4 * ROW_PX)
