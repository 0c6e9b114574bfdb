"""The cells of the board: the coats of an owner in a variant as strips over their paint."""

from collections import OrderedDict
from dataclasses import dataclass
from operator import is_

from PyQt6.QtCore import QModelIndex, QPoint, QRect, QSize, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPen, QPixmap
from PyQt6.QtWidgets import (
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QWidget,
)

from even_palette.app.ball import ball
from even_palette.app.board.model import BoardModel, is_own
from even_palette.app.session import Session
from even_palette.app.stand.renderer import to_image
from even_palette.app.theme import grey, tokens
from even_palette.core.arrays import float32
from even_palette.core.colour.srgb import srgb_to_linear
from even_palette.core.errors import NotReady, UserError
from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import SheetOwner, coats_of, owners_on
from even_palette.core.kit.model import Focus
from even_palette.core.material.coats import COATS
from even_palette.core.material.declare import STRENGTH
from even_palette.core.material.variants import lineage
from even_palette.core.results.made_of import made_of
from even_palette.core.results.strips import coat_strip, paint_strip, strip_made_of

HANDLE_PX = 8
MOST_CELLS = 2000
"""Pictures of cells that are kept."""
FINISH = ("metalness", "roughness", "clear_coat")
"""The outputs that a ball shows where a coat has values for all of them."""


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
        self.unfinished: set[tuple[SheetOwner, str]] = set()
        """Cells that were drawn while something of them was still to be made."""

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
        if not whole:
            self.unfinished.add((owner, variant))
        else:
            self.unfinished.discard((owner, variant))
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
