"""The board's view: cells that draw what their coat does, live thumbnails as column heads."""

from collections.abc import Iterable

from PyQt6.QtCore import QItemSelection, QItemSelectionModel, QModelIndex, QRect, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QKeySequence, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import (
    QApplication,
    QTableView,
    QToolButton,
    QWidget,
)

from even_palette.app.board.cells import HANDLE_PX, CellDelegate
from even_palette.app.board.heads import COLUMN_PX, HEAD_PX, NAME_PX, ROW_PX, RegionNames, VariantHeads
from even_palette.app.board.model import BoardModel
from even_palette.app.following import SELDOM_MS, Following
from even_palette.app.session import Session
from even_palette.app.theme import grey, set_icon, tokens
from even_palette.app.thumbnails import Thumbnails
from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.cell_text import cell_from_text, cell_to_text, is_cell
from even_palette.core.kit.changed_cells import changed_cells
from even_palette.core.kit.coat_owners import SheetOwner, owners_on
from even_palette.core.kit.commands import Cell
from even_palette.core.kit.model import Focus

WIDEST_PX = 240


class Board(QTableView):
    """Arrow keys move, Enter edits, Delete returns to inherited, Ctrl+C and Ctrl+V copy and paste, the handle fills.

    With Ctrl or Shift more cells are chosen, and what is changed is changed in all of them.
    """

    edit_wanted = pyqtSignal()

    def __init__(self, session: Session, thumbnails: Thumbnails, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self._fill_end: QModelIndex | None = None
        self._shown: Focus | None = None
        self._choosing = False
        self.add_button, self.fold_button = QToolButton(self), QToolButton(self)
        self.setObjectName("board")
        self.setAccessibleName("Board of regions and variants")
        self.board_model = BoardModel(session, self)
        self.setModel(self.board_model)
        self.cells = CellDelegate(session, self)
        self.setItemDelegate(self.cells)
        self.heads = VariantHeads(thumbnails, self)
        self.setHorizontalHeader(self.heads)
        self.names = RegionNames(session, self)
        self.setVerticalHeader(self.names)
        self.setSelectionMode(QTableView.SelectionMode.ExtendedSelection)
        self.setEditTriggers(QTableView.EditTrigger.NoEditTriggers)
        self.setShowGrid(False)
        self.setTabKeyNavigation(False)
        self.setHorizontalScrollMode(QTableView.ScrollMode.ScrollPerPixel)
        self.setVerticalScrollMode(QTableView.ScrollMode.ScrollPerPixel)
        set_icon(self.add_button, "plus")
        self.add_button.setText("Variant")
        self.add_button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        self.add_button.setAccessibleName("Add variant")
        self.add_button.setToolTip("Add a variant that inherits from the selected one")
        self.add_button.clicked.connect(self.add_variant)
        session.selection_changed.connect(self._follow_selection)
        session.shown_changed.connect(Following(session, self._follow_shown, self, SELDOM_MS))
        session.made.connect(lambda: self._update_some(self.cells.unfinished))
        self.doubleClicked.connect(lambda _: self.edit_wanted.emit())
        self.heads.sectionPressed.connect(self._choose_column)
        self.names.sectionPressed.connect(self._choose_row)

    def _choose_column(self, column: int) -> None:
        """A press beside all heads is told as that of column -1."""
        if column >= 0:
            self.session.select(variant=self.board_model.variant(column))

    def _choose_row(self, row: int) -> None:
        if row >= 0:
            self.session.select(self.board_model.owner(row))

    def add_variant(self) -> None:
        """Add a variant behind the others, and select it."""
        parent = self.session.variant or None
        before = len(self.session.kit.variants)
        if self.session.do(commands.add_variant(f"Variant {before + 1}", parent)):
            self.session.select(variant=self.session.kit.variants[-1].key)

    def _follow_shown(self) -> None:
        """Draw anew what looks otherwise: while a value is dragged that is a cell or two."""
        before, self._shown = self._shown, self.session.shown
        cells = changed_cells(before, self._shown) if before is not None and self._shown is not None else None
        if cells is None:
            self.heads.redraw()
            self._update_cells()
        else:
            self._update_some(cells)

    def _update_some(self, cells: Iterable[tuple[SheetOwner, str]]) -> None:
        at = self.session.at
        there = owners_on(at.sheet)
        for owner, variant in cells:
            if owner in there and variant in at.kit.variant_names:
                self.update(self.board_model.place(owner, variant))

    def _update_cells(self) -> None:
        if (viewport := self.viewport()) is not None:
            viewport.update()

    def _follow_selection(self) -> None:
        at = self.session.at
        keys = owners_on(at.sheet)
        variants = list(at.kit.variant_names)
        if self.session.owner in keys and self.session.variant in variants:
            index = self.board_model.index(keys.index(self.session.owner), variants.index(self.session.variant))
            selection = self.selectionModel()
            if index != self.currentIndex() and selection is not None and not self._choosing:
                selection.setCurrentIndex(index, QItemSelectionModel.SelectionFlag.ClearAndSelect)
        self.heads.redraw()
        self.names.redraw()

    def currentChanged(self, current: QModelIndex, previous: QModelIndex) -> None:
        super().currentChanged(current, previous)
        if current.isValid():
            self.session.select(self.board_model.owner(current.row()), self.board_model.variant(current.column()))

    def selectionChanged(self, selected: QItemSelection, deselected: QItemSelection) -> None:
        super().selectionChanged(selected, deselected)
        model = self.board_model
        chosen = [(model.owner(cell.row()), model.variant(cell.column())) for cell in self.selectedIndexes()]
        self._choosing = True  # the current cell may be told later
        self.session.view.change(cells=tuple(chosen))
        self._choosing = False

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        region, variant = self.session.owner, self.session.variant
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.edit_wanted.emit()
        elif not region:
            super().keyPressEvent(event)
        elif event.key() == Qt.Key.Key_Delete:
            self.session.do(commands.clear_cells(self.session.cells))
        elif event.matches(QKeySequence.StandardKey.Copy):
            self._copy(commands.read_cell(self.session.kit, region, variant))
        elif event.matches(QKeySequence.StandardKey.Paste):
            self._paste()
        else:
            super().keyPressEvent(event)

    def _copy(self, cell: Cell) -> None:
        """Keep a cell, here and as text on the clipboard of the system."""
        self.session.copy(cell)
        if (clipboard := QApplication.clipboard()) is not None:
            clipboard.setText(cell_to_text(cell))
        self.session.notice.emit("Copied the coats of this cell; other windows can paste them too.")

    def _paste(self) -> None:
        """Give the chosen cells what was copied last, in this window or another one."""
        clipboard = QApplication.clipboard()
        text, copied = clipboard.text() if clipboard is not None else "", self.session.copied
        try:
            copied = cell_from_text(text) if is_cell(text) else copied
        except UserError as error:
            self.session.notice.emit(str(error))
            return
        if copied is None:
            self.session.notice.emit("Copy a cell first.")
        else:
            one, *others = self.session.cells
            paste = commands.fill_cells(copied, [one, *others]) if others else commands.paste_cell(copied, *one)
            self.session.do(paste)

    # Drag to fill: from the handle of the selected cell over others

    def fill_handle(self) -> QRect:
        """Where the selected cell is taken hold of to fill others with it, in the viewport."""
        cell = self.visualRect(self.currentIndex())
        return QRect(cell.right() - HANDLE_PX, cell.bottom() - HANDLE_PX, HANDLE_PX, HANDLE_PX)

    def _fill_range(self) -> list[QModelIndex]:
        start, end = self.currentIndex(), self._fill_end
        if end is None or not start.isValid() or not end.isValid():
            return []
        rows = range(min(start.row(), end.row()), max(start.row(), end.row()) + 1)
        columns = range(min(start.column(), end.column()), max(start.column(), end.column()) + 1)
        cells = [self.board_model.index(row, column) for row in rows for column in columns]
        return [cell for cell in cells if cell != start]

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self.fill_handle().adjusted(-4, -4, 4, 4).contains(event.position().toPoint()):
            self._fill_end = self.currentIndex()
        else:
            super().mousePressEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._fill_end is None:
            super().mouseMoveEvent(event)
        elif (under := self.indexAt(event.position().toPoint())).isValid():
            self._fill_end = under
            self._update_cells()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        cells, filling = self._fill_range(), self._fill_end is not None
        self._fill_end = None
        if cells:
            source = commands.read_cell(self.session.kit, self.session.owner, self.session.variant)
            model = self.board_model
            targets = [(model.owner(cell.row()), model.variant(cell.column())) for cell in cells]
            self.session.do(commands.fill_cells(source, targets))
        if filling:
            self._update_cells()
        else:
            super().mouseReleaseEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        painter = QPainter(self.viewport())
        if self.currentIndex().isValid():
            painter.fillRect(self.fill_handle(), grey(tokens().text))
        painter.setPen(QPen(grey(tokens().text), 2, Qt.PenStyle.DashLine))
        for cell in self._fill_range():
            painter.drawRect(self.visualRect(cell).adjusted(2, 2, -2, -2))

    def updateGeometries(self) -> None:
        super().updateGeometries()
        count, viewport = self.board_model.columnCount(), self.viewport()
        if count and viewport is not None:
            width = min(WIDEST_PX, max(COLUMN_PX, viewport.width() // count))
            if self.heads.defaultSectionSize() != width:
                self.heads.setDefaultSectionSize(width)
        self.add_button.setGeometry(8, HEAD_PX - 34, NAME_PX - 16, 28)
        self.fold_button.setGeometry(8, 6, 32, 28)

    def sizeHint(self) -> QSize:
        return QSize(600, HEAD_PX + 6 * ROW_PX)
