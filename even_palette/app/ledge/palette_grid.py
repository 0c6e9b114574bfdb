"""Entries of a palette across, in as many lines as they need, and its rows down."""

from PyQt6.QtCore import QPoint, QRect, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import QWidget

from even_palette.app.theme import grey, tokens
from even_palette.core.colour.hexcode import format_hex
from even_palette.core.tones.palette import Palette

NAME_PX, LINE_PX, GAP_PX, LEAST_ENTRY_PX, MOST_ENTRY_PX = 92, 24, 4, 12, 40


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
        self.setMinimumWidth(NAME_PX + 16 * LEAST_ENTRY_PX)
        self._fit()
        self.update()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        rows = len(self.palette_.rows) if self.palette_ else 1
        self.setMinimumHeight(rows * self._row_px() + GAP_PX)

    @property
    def lines(self) -> int:
        """How many lines a row takes."""
        size = self.palette_.size if self.palette_ else 1
        return -(-size // max(1, (self.width() - NAME_PX - 2) // LEAST_ENTRY_PX))

    @property
    def across(self) -> int:
        """How many entries stand in a line, all lines but the last being full."""
        return -(-self.palette_.size // self.lines) if self.palette_ else 1

    def _row_px(self) -> int:
        return self.lines * LINE_PX + GAP_PX

    def _step(self) -> float:
        return min(MOST_ENTRY_PX, (self.width() - NAME_PX - 2) / self.across)

    def cell(self, row: int, entry: int) -> QRect:
        """Where an entry of a row is drawn."""
        line, place = divmod(entry, self.across)
        left, right = (round(NAME_PX + self._step() * each) for each in (place, place + 1))
        return QRect(left, row * self._row_px() + line * LINE_PX + 2, right - left, LINE_PX)

    def _at(self, point: QPoint) -> tuple[int, int]:
        assert self.palette_ is not None
        row = min(max(point.y() // self._row_px(), 0), len(self.palette_.rows) - 1)
        line = min(max((point.y() - row * self._row_px() - 2) // LINE_PX, 0), self.lines - 1)
        place = min(max(int((point.x() - NAME_PX) / self._step()), 0), self.across - 1)
        return row, min(line * self.across + place, self.palette_.size - 1)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t, painter = tokens(), QPainter(self)
        if self.palette_ is None:
            return
        for number, row in enumerate(self.palette_.rows):
            painter.setPen(grey(t.text))
            name = painter.fontMetrics().elidedText(row.name, Qt.TextElideMode.ElideRight, NAME_PX - 14)
            box = QRect(6, number * self._row_px() + 2, NAME_PX - 12, LINE_PX)
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, name)
            for entry, colour in enumerate(row.colours):
                painter.fillRect(self.cell(number, entry), QColor(format_hex(colour)))
        if self._held >= 0 and self._over >= 0:
            for number in range(len(self.palette_.rows)):
                over = self.cell(number, self._over)
                painter.fillRect(QRect(over.left() - 1, over.top() - 1, 3, over.height() + 2), grey(t.text))
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
        row, entry = self.row, self.entry + across
        if 0 <= entry + down * self.across < self.palette_.size:
            entry += down * self.across
        elif 0 <= row + down < len(self.palette_.rows):
            row += down
            entry %= self.across
            entry += (self.lines - 1) * self.across if down < 0 else 0
        self.chosen.emit(row, min(max(entry, 0), self.palette_.size - 1))

    def sizeHint(self) -> QSize:
        return QSize(480, 4 * (LINE_PX + GAP_PX))
