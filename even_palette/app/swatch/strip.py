"""A strip of swatches to choose from: recent colours, those of the kit, or those of a text file."""

from pathlib import Path

from PyQt6.QtCore import QEvent, QPoint, QRect, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QFileDialog, QFrame, QScrollArea, QToolTip, QVBoxLayout, QWidget

from even_palette.app.controls import choice, give_menu, row, show_choice, tool
from even_palette.app.session import Session
from even_palette.app.theme import grey, tokens
from even_palette.core.colour.hexcode import format_hex
from even_palette.core.colour.swatches import Swatch, read_swatches, write_swatches
from even_palette.core.disk.gate import read_bytes, reason, refuse_sources
from even_palette.core.disk.whole import write_whole
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken, Progress
from even_palette.core.kit.colours import kit_swatches

RECENT, KIT = "recent", "kit"
MOST_RECENT = 27
MOST_TEXT = 1 << 20
CELL_PX, GAP_PX, MOST_ROWS = 24, 4, 4
LISTS = "Lists of hex values (*.txt *.hex)"

_recent: list[Swatch] = []
_opened: dict[str, tuple[Swatch, ...]] = {}
"""Strips that were opened from files, by the name of the file; all editors offer them."""


def remember(colour: tuple[int, int, int]) -> None:
    """Put a colour first among the recent ones."""
    _recent[:] = [Swatch(colour), *(swatch for swatch in _recent if swatch.colour != colour)][:MOST_RECENT]


class Cells(QWidget):
    """Cells of colour in rows; a click, or Return, takes one."""

    taken = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Swatches")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setProperty("imageArea", True)
        self.swatches: tuple[Swatch, ...] = ()
        self.at = 0

    def show_swatches(self, swatches: tuple[Swatch, ...]) -> None:
        """Show these colours."""
        self.swatches = swatches
        self.at = min(self.at, max(0, len(swatches) - 1))
        self.setMinimumHeight(self.height_of(self._rows))
        self.updateGeometry()
        self.update()

    @staticmethod
    def height_of(rows: int) -> int:
        """How high so many rows are, in pixels."""
        return max(1, rows) * (CELL_PX + GAP_PX) - GAP_PX

    @property
    def _columns(self) -> int:
        return max(1, (self.width() + GAP_PX) // (CELL_PX + GAP_PX))

    @property
    def _rows(self) -> int:
        return -(-len(self.swatches) // self._columns)

    def sizeHint(self) -> QSize:
        return QSize(9 * (CELL_PX + GAP_PX), self.height_of(self._rows))

    def cell(self, number: int) -> QRect:
        """Where a swatch is drawn."""
        down, across = divmod(number, self._columns)
        return QRect(across * (CELL_PX + GAP_PX), down * (CELL_PX + GAP_PX), CELL_PX, CELL_PX)

    def _number_at(self, place: QPoint) -> int | None:
        return next((n for n in range(len(self.swatches)) if self.cell(n).contains(place)), None)

    def resizeEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().resizeEvent(event)
        self.setMinimumHeight(self.height_of(self._rows))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        for number, swatch in enumerate(self.swatches):
            cell = self.cell(number)
            painter.fillRect(cell, QColor(format_hex(swatch.colour)))
            chosen = self.hasFocus() and number == self.at
            painter.setPen(grey(tokens().text if chosen else tokens().strong_line))
            painter.drawRect(cell.adjusted(0, 0, -1, -1))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and (number := self._number_at(event.pos())) is not None:
            self._take(number)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        moves = {
            Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: -self._columns, Qt.Key.Key_Down: self._columns,
        }  # fmt: skip
        if event.key() in moves and self.swatches:
            self.at = min(max(0, self.at + moves[Qt.Key(event.key())]), len(self.swatches) - 1)
            self.update()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space) and self.swatches:
            self._take(self.at)
        else:
            super().keyPressEvent(event)

    def _take(self, number: int) -> None:
        self.at = number
        self.update()
        self.taken.emit(self.swatches[number].colour)

    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QHelpEvent):
            number = self._number_at(event.pos())
            if number is not None:
                swatch = self.swatches[number]
                QToolTip.showText(event.globalPos(), f"{format_hex(swatch.colour)} {swatch.name}".strip(), self)
            return True
        return super().event(event)


class SwatchStrip(QWidget):
    """Cells of a chosen strip, which may be opened from a file or written to one."""

    taken = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._strip = RECENT
        self.box = choice("Swatches from", [])
        self.box.activated.connect(lambda i: self.show_strip(str(self.box.itemData(i))))
        self.files = tool("Lists of swatches", "folder-open", "Open a text of hex values, one a line, or write one")
        give_menu(self.files, {"Open list …": self._open, "Write this list …": self._write})
        self.cells = Cells()
        self.cells.taken.connect(self.taken)
        self.area = QScrollArea()
        self.area.setFrameShape(QFrame.Shape.NoFrame)
        self.area.setWidgetResizable(True)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.area.setWidget(self.cells)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addLayout(row(self.box, self.files, stretch=0))
        column.addWidget(self.area)

    @property
    def swatches(self) -> tuple[Swatch, ...]:
        """The colours of the chosen strip."""
        if self._strip == KIT:
            return kit_swatches(self.session.kit)
        return _opened.get(self._strip, tuple(_recent))

    def show_strip(self, strip: str) -> None:
        """Show another strip: recent colours, those of the kit, or a file's."""
        self._strip = strip
        self.follow()

    def follow(self) -> None:
        """Show the chosen strip as it is now."""
        items = [("Recent colours", RECENT), ("Colours of the kit", KIT), *((name, name) for name in _opened)]
        if [self.box.itemData(i) for i in range(self.box.count())] != [data for _, data in items]:
            self.box.clear()
            for text, data in items:
                self.box.addItem(text, data)
        show_choice(self.box, self._strip)
        swatches = self.swatches
        if swatches != self.cells.swatches:
            self.cells.show_swatches(swatches)
        self.area.setFixedHeight(Cells.height_of(min(MOST_ROWS, -(-len(swatches) // 9))))
        self.area.setVisible(bool(swatches))

    def _open(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Open list of swatches", "", LISTS)
        if name:
            self.open_file(Path(name))

    def open_file(self, path: Path) -> None:
        """Offer the colours of a text of hex values, here and in every other editor."""

        def work(progress: Progress, cancel: CancelToken) -> tuple[Swatch, ...]:
            text = read_bytes(path, MOST_TEXT).decode("utf-8", "replace")
            try:
                return read_swatches(text)
            except UserError as error:
                raise UserError(f"{path.name}: {error}") from None

        def done(found: tuple[Swatch, ...]) -> None:
            _opened[path.name] = found
            self.show_strip(path.name)

        self.session.jobs.run("Open swatches", work, done, self.session.notice.emit)

    def _write(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, "Write list of swatches", "swatches.txt", LISTS)
        if name:
            path = Path(name)
            self.write_to(path if path.suffix else path.with_suffix(".txt"))

    def write_to(self, path: Path) -> None:
        """Write the colours that are shown, one a line, with their names."""
        text, read = write_swatches(self.swatches).encode(), [Path(file.path) for file in self.session.kit.files]

        def work(progress: Progress, cancel: CancelToken) -> None:
            refuse_sources(path, read)
            try:
                write_whole(path, text)
            except OSError as error:
                raise UserError(f"{path}: cannot be written ({reason(error)}).") from None

        told = f"Written: {path}."
        self.session.jobs.run(
            "Write swatches", work, lambda _: self.session.notice.emit(told), self.session.notice.emit
        )
