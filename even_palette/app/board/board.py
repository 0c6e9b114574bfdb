"""The board's view: cells that draw what their coat does, live thumbnails as column heads."""

from collections import OrderedDict
from dataclasses import dataclass
from operator import is_

from PyQt6.QtCore import QItemSelectionModel, QModelIndex, QPoint, QRect, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QKeyEvent, QKeySequence, QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap
from PyQt6.QtWidgets import (
    QHeaderView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QToolButton,
    QWidget,
)

from even_palette.app.ball import ball
from even_palette.app.board.model import BoardModel, is_own
from even_palette.app.session import Session
from even_palette.app.stand.renderer import to_image
from even_palette.app.theme import grey, set_icon, tokens
from even_palette.app.thumbnails import Thumbnails
from even_palette.core.arrays import float32
from even_palette.core.colour.hexcode import format_hex
from even_palette.core.colour.srgb import srgb_to_linear
from even_palette.core.errors import NotReady, UserError
from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import SheetOwner, coats_of, owners_on
from even_palette.core.kit.model import Focus
from even_palette.core.material.coats import COATS
from even_palette.core.material.declare import STRENGTH
from even_palette.core.material.variants import lineage
from even_palette.core.results.materials import made_of
from even_palette.core.results.strips import coat_strip, paint_strip, strip_made_of

ROW_PX, COLUMN_PX, NAME_PX = 26, 132, 150
THUMB_PX, HEAD_PX = 46, 74
WIDEST_PX = 240
HANDLE_PX = 8
MOST_CELLS = 2000
"""Pictures of cells that are kept."""
FINISH = ("metalness", "roughness", "clear_coat")
"""The outputs that a ball shows where a coat has values for all of them."""


class Board(QTableView):
    """Arrow keys move, Enter edits, Delete returns to inherited, Ctrl+C and Ctrl+V copy and paste, the handle fills."""

    edit_wanted = pyqtSignal()

    def __init__(self, session: Session, thumbnails: Thumbnails, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self._fill_end: QModelIndex | None = None
        self.add_button, self.fold_button = QToolButton(self), QToolButton(self)
        self.setObjectName("board")
        self.setAccessibleName("Board of regions and variants")
        self.board_model = BoardModel(session)
        self.setModel(self.board_model)
        self.setItemDelegate(CellDelegate(session, self))
        self.heads = VariantHeads(thumbnails, self)
        self.setHorizontalHeader(self.heads)
        self.names = RegionNames(session, self)
        self.setVerticalHeader(self.names)
        self.setSelectionMode(QTableView.SelectionMode.SingleSelection)
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
        session.shown_changed.connect(self._redraw)
        session.made.connect(self._update_cells)
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

    def _redraw(self) -> None:
        self.heads.redraw()
        self._update_cells()

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
            if index != self.currentIndex() and selection is not None:
                selection.setCurrentIndex(index, QItemSelectionModel.SelectionFlag.ClearAndSelect)
        self.heads.redraw()
        self.names.redraw()

    def currentChanged(self, current: QModelIndex, previous: QModelIndex) -> None:
        super().currentChanged(current, previous)
        if current.isValid():
            self.session.select(self.board_model.owner(current.row()), self.board_model.variant(current.column()))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        region, variant = self.session.owner, self.session.variant
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.edit_wanted.emit()
        elif not region:
            super().keyPressEvent(event)
        elif event.key() == Qt.Key.Key_Delete:
            self.session.do(commands.clear_cell(region, variant))
        elif event.matches(QKeySequence.StandardKey.Copy):
            self.session.copy(commands.read_cell(self.session.kit, region, variant))
            self.session.notice.emit("Copied the coat of this cell.")
        elif event.matches(QKeySequence.StandardKey.Paste):
            if self.session.copied is None:
                self.session.notice.emit("Copy a cell first.")
            else:
                self.session.do(commands.paste_cell(self.session.copied, region, variant))
        else:
            super().keyPressEvent(event)

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


@dataclass(frozen=True)
class _Drawn:
    """The picture of a cell: it stays while `parts` are the same objects, or what it `looks` like is equal."""

    parts: tuple[object, ...]
    looks: tuple[object, ...]
    picture: QPixmap


class CellDelegate(QStyledItemDelegate):
    """Draws a cell: the region's real tones in its coat; a shift shows them before and after."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self.session = session
        self._drawn: dict[tuple[str, SheetOwner, str], list[QImage]] = {}
        self._cells: OrderedDict[tuple[object, ...], _Drawn] = OrderedDict()

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        assert painter is not None
        model = index.model()
        assert isinstance(model, BoardModel)
        at = self.session.shown
        t = tokens()
        painter.fillRect(option.rect, grey(t.panel))
        if at is None or index.row() > len(at.sheet.regions) or index.column() > len(at.kit.variants):
            return
        owner = owners_on(at.sheet)[index.row()]
        variant, coats = model.variant(index.column()), coats_of(at.kit, owner)
        if variant not in at.kit.variant_names or not coats:
            return
        painter.drawPixmap(option.rect.topLeft(), self._cell(at, owner, variant, option.rect.size(), painter))
        if option.state & QStyle.StateFlag.State_Selected:
            painter.setPen(QPen(grey(t.text), 2))
            painter.drawRect(option.rect.adjusted(1, 1, -1, -1))

    def _cell(self, at: Focus, owner: SheetOwner, variant: str, size: QSize, painter: QPainter) -> QPixmap:
        """The picture of a cell; one whose parts of the kit did not change is not made anew."""
        device = painter.device()
        ratio = device.devicePixelRatioF() if device is not None else 1.0
        name = (at.key, owner, variant, size.width(), size.height(), ratio)
        parts = (*made_of(at), *lineage(at.kit.variants, variant), tokens())
        kept = self._cells.get(name)
        if kept is not None and len(kept.parts) == len(parts) and all(map(is_, kept.parts, parts)):
            self._cells.move_to_end(name)
            return kept.picture
        looks = (strip_made_of(at, self.session.sheets, owner, variant), is_own(at.kit, owner, variant), tokens())
        if kept is not None and kept.looks == looks:
            self._cells[name] = _Drawn(parts, looks, kept.picture)
            return kept.picture
        made = QPixmap(size * ratio)
        made.setDevicePixelRatio(ratio)
        made.fill(Qt.GlobalColor.transparent)
        within = QPainter(made)
        within.setRenderHints(painter.renderHints())
        whole = self._paint_cell(within, at, owner, variant, QRect(QPoint(0, 0), size))
        within.end()
        if whole:
            self._cells[name] = _Drawn(parts, looks, made)
            while len(self._cells) > MOST_CELLS:
                self._cells.popitem(last=False)
        return made

    def _paint_cell(self, painter: QPainter, at: Focus, owner: SheetOwner, variant: str, rect: QRect) -> bool:
        """Draw a cell; False if something of it is still to be made."""
        t, own = tokens(), is_own(at.kit, owner, variant)
        box = rect.adjusted(5, 3, -5, -3) if own else rect.adjusted(5, 9, -5, -9)
        strips, whole = self._strips(at, owner, variant, COATS[coats_of(at.kit, owner)[0].kind].before_and_after)
        if not strips:
            return whole
        if len(strips) > 1:
            painter.drawImage(QRect(box.x(), box.y(), box.width(), box.height() // 3), strips[1])
            painter.drawImage(box.adjusted(0, box.height() // 3, 0, 0), strips[0])
        else:
            painter.drawImage(box, strips[0])
        self._mark(painter, at, owner, variant, box, strips[0])
        painter.setPen(
            QPen(grey(t.text if own else t.quiet_text), 1, Qt.PenStyle.SolidLine if own else Qt.PenStyle.DotLine)
        )
        painter.drawRect(box.adjusted(0, 0, -1, -1))
        return whole

    def _mark(self, painter: QPainter, at: Focus, owner: SheetOwner, variant: str, box: QRect, strip: QImage) -> None:
        """A small ball for a finish, a rim of light for a glow, as the variant has them."""
        cell = commands.read_cell(at.kit, owner, variant)
        for coat, settings in zip(cell.coats, cell.settings, strict=True):
            strength = settings[STRENGTH.name]
            if not coat.on or not strength:
                continue
            sets = COATS[coat.kind].sets
            if all(name in sets and name in settings for name in FINISH):
                seen = strip.pixelColor(strip.width() * 2 // 3, 0)
                linear = srgb_to_linear(float32((seen.redF(), seen.greenF(), seen.blueF()))).round(2).tolist()
                values = [settings[name] for name in FINISH]
                side = max(8, box.height() - 2)
                image = ball(side, (linear[0], linear[1], linear[2]), *values)
                painter.drawImage(box.right() - side - 3, box.top() + 1, image)
            colour = next((value for value in settings.values() if isinstance(value, tuple)), None)
            if "emission" in sets and settings.get("intensity", 1.0) and colour is not None:
                painter.setPen(QPen(QColor.fromRgbF(*colour), 3))
                painter.drawRect(box.adjusted(2, 2, -3, -3))

    def _strips(self, at: Focus, owner: SheetOwner, variant: str, with_paint: bool) -> tuple[list[QImage], bool]:
        """The coat of a cell, and the paint under it if that is wanted; while they are made anew, those before them.

        Beside them, whether they are those of this kit.
        """
        whole = True
        cell, sheets = (at.key, owner, variant), self.session.sheets
        try:
            strips = [coat_strip(at, sheets, owner, variant), *([paint_strip(at, sheets, owner)] if with_paint else [])]
            self._drawn[cell] = [to_image(strip[None]) for strip in strips]
        except NotReady as missing:
            whole = False
            self.session.results.make(missing)
        except UserError:  # such as a bake that is being made
            whole = False
            self._drawn.pop(cell, None)
        return self._drawn.get(cell, []), whole


class Heads(QHeaderView):
    """The heads of the columns: the variants as small pictures with their names."""

    def redraw(self) -> None:
        """Draw all of them anew."""
        if (viewport := self.viewport()) is not None:
            viewport.update()


class VariantHeads(Heads):
    """Column heads: a live thumbnail of each variant with its name."""

    def __init__(self, thumbnails: Thumbnails, parent: QWidget) -> None:
        super().__init__(Qt.Orientation.Horizontal, parent)
        self.thumbnails = thumbnails
        thumbnails.made.connect(self.redraw)
        self.setAccessibleName("Variants")
        self.setDefaultSectionSize(COLUMN_PX)
        self.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        self.setSectionsClickable(True)
        self.setFixedHeight(HEAD_PX)

    def paintSection(self, painter: QPainter | None, rect: QRect, section: int) -> None:
        assert painter is not None
        model = self.model()
        assert isinstance(model, BoardModel)
        painter.save()
        painter.fillRect(rect, grey(tokens().panel))
        box = QRect(rect.x() + 5, rect.y() + 4, rect.width() - 10, THUMB_PX)
        text = QRect(rect.x() + 5, box.bottom() + 4, rect.width() - 10, 22)
        self.thumbnails.paint(painter, model.variant(section), box, text)
        painter.restore()


class RegionNames(Heads):
    """Row heads: ID colour and name of each region."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(Qt.Orientation.Vertical, parent)
        self.session = session
        self.setAccessibleName("Regions")
        self.setDefaultSectionSize(ROW_PX)
        self.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        self.setSectionsClickable(True)
        self.setFixedWidth(NAME_PX)

    def paintSection(self, painter: QPainter | None, rect: QRect, section: int) -> None:
        assert painter is not None
        model = self.model()
        assert isinstance(model, BoardModel)
        regions = self.session.at.sheet.regions
        region = regions[section] if section < len(regions) else None
        chosen = model.owner(section) == self.session.owner
        t = tokens()
        painter.save()
        painter.fillRect(rect, grey(t.chosen if chosen else t.panel))
        if region is not None:
            swatch = QRect(rect.x() + 8, rect.y() + 6, 14, rect.height() - 12)
            painter.fillRect(swatch, QColor(format_hex(region.id_colour)))
            painter.setPen(grey(t.strong_line))
            painter.drawRect(swatch.adjusted(0, 0, -1, -1))
        painter.setPen(grey(t.chosen_text if chosen else t.text))
        text = rect.adjusted(30, 0, -6, 0)
        name = painter.fontMetrics().elidedText(
            region.name if region else "Overcoats", Qt.TextElideMode.ElideRight, text.width()
        )
        painter.drawText(text, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, name)
        painter.restore()
