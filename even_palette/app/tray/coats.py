"""The coats of an owner in their order: a line each, with its picture before and after, its strength, on or off."""

from itertools import pairwise
from operator import is_

from PyQt6.QtCore import QModelIndex, QRect, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QIcon, QKeyEvent, QPainter, QPixmap
from PyQt6.QtWidgets import QAbstractItemView, QListWidgetItem, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from even_palette.app import plain
from even_palette.app.controls import ShortList
from even_palette.app.session import Session
from even_palette.app.stand.renderer import to_image
from even_palette.core.arrays import Levels
from even_palette.core.errors import NotReady, UserError
from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import SheetOwner, coats_of, recipe_length
from even_palette.core.kit.model import Focus
from even_palette.core.material.coats import COATS
from even_palette.core.material.declare import STRENGTH
from even_palette.core.results.strips import coat_strip, paint_strip

PICTURE = QSize(72, 22)
MOST_SEEN = 4
"""Lines that are seen without scrolling."""


class _Lines(QStyledItemDelegate):
    """Draws each line with its picture; a new picture is no change of a line, so that nothing is laid out for it."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.pictures: list[QIcon] = []

    def initStyleOption(self, option: QStyleOptionViewItem | None, index: QModelIndex) -> None:
        super().initStyleOption(option, index)
        assert option is not None
        option.features |= QStyleOptionViewItem.ViewItemFeature.HasDecoration
        option.decorationSize = PICTURE
        if index.row() < len(self.pictures):
            option.icon = self.pictures[index.row()]


class CoatList(ShortList):
    """`chosen` tells the number of the coat that is to be edited, `dropped` which one was dragged and to where."""

    chosen = pyqtSignal(int)
    dropped = pyqtSignal(int, int)

    def __init__(self, session: Session) -> None:
        super().__init__("Coats in order", 64)
        self.session = session
        self.setIconSize(PICTURE)
        self.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._busy = False
        self._strips: list[Levels] = []
        self._lacks = False
        self._lines = _Lines(self)
        self.setItemDelegate(self._lines)
        self.currentRowChanged.connect(self._choose)
        self.itemChanged.connect(self._switch)

    def show_coats(self, owner: SheetOwner, chosen: int) -> None:
        """Show the coats of an owner, none for "", and which one is edited."""
        at, variant = self.session.at, self.session.variant
        self._busy = True
        coats = coats_of(at.kit, owner) if owner else ()
        cells = commands.read_cell(at.kit, owner, variant).settings if owner else ()
        strengths = [cell.get(STRENGTH.name, 1.0) for cell in cells]
        while self.count() > len(coats):
            self.takeItem(self.count() - 1)
        while self.count() < len(coats):
            line = QListWidgetItem()
            line.setFlags((line.flags() | Qt.ItemFlag.ItemIsUserCheckable) & ~Qt.ItemFlag.ItemIsDropEnabled)
            self.addItem(line)
        for number, coat in enumerate(coats):
            item, kind = self.item(number), COATS[coat.kind]
            assert item is not None
            strength = strengths[number]
            share = f"  {strength:.0%}" if isinstance(strength, float | int) and strength != 1 else ""
            where = " by pattern" if coat.pattern else ""
            where += " · recipe" if number < recipe_length(at.kit, owner) else ""
            item.setText(f"{number + 1}  {kind.label}{where}{share}")
            item.setToolTip(plain.tip(kind.help))
            item.setCheckState(Qt.CheckState.Checked if coat.on else Qt.CheckState.Unchecked)
        if owner:
            self._show_pictures(at, owner, variant, len(coats))
        self.setMinimumHeight(self.sizeHintForRow(0) * min(MOST_SEEN, len(coats)) + 4 if coats else 0)
        self.setCurrentRow(chosen if coats else -1)
        self._busy = False

    def follow_made(self) -> None:
        """Show pictures that were missing, if they are there now."""
        if self._lacks and self.isVisible():
            session = self.session
            self._show_pictures(session.at, session.owner, session.variant, self.count())

    def _show_pictures(self, at: Focus, owner: SheetOwner, variant: str, count: int) -> None:
        """Show the tones of the region before and after each coat; while they are made, those before them."""
        sheets = self.session.sheets

        def gather() -> list[Levels]:
            return [paint_strip(at, sheets, owner),
                    *(coat_strip(at, sheets, owner, variant, number + 1) for number in range(count))]  # fmt: skip

        self._lacks = False
        try:
            strips = gather()
        except NotReady as missing:
            self._lacks = True
            self.session.results.make(NotReady(("coats", owner, variant, missing.name), gather))
            return
        except UserError:
            return
        if len(strips) != len(self._strips) or not all(map(is_, strips, self._strips)):
            self._strips, self._lines.pictures = strips, [_picture(*pair) for pair in pairwise(strips)]
            if (viewport := self.viewport()) is not None:
                viewport.update()

    def _choose(self, number: int) -> None:
        if not self._busy and number >= 0:
            self.chosen.emit(number)

    def _switch(self, item: QListWidgetItem) -> None:
        if self._busy:
            return
        number, on = self.row(item), item.checkState() == Qt.CheckState.Checked
        coats = coats_of(self.session.kit, self.session.owner)
        if number < len(coats) and coats[number].on != on:
            self.session.do(commands.switch_coat(self.session.owner, number, on))

    def dropEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        start = self.currentRow()
        self._busy = True
        super().dropEvent(event)
        self._busy = False
        if self.currentRow() != start and start >= 0:
            self.dropped.emit(start, self.currentRow())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        number = self.currentRow()
        steps = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}
        if event.modifiers() & Qt.KeyboardModifier.AltModifier and event.key() in steps:
            to = number + steps[Qt.Key(event.key())]
            if 0 <= to < self.count():
                self.dropped.emit(number, to)
        elif event.key() == Qt.Key.Key_Delete and number >= 0:
            self.session.do(commands.remove_coat(self.session.owner, number))
        else:
            super().keyPressEvent(event)


def before_and_after(before: Levels, after: Levels, size: QSize) -> QPixmap:
    """What a coat is put on, and below it what it makes of that."""
    pixmap = QPixmap(size)
    painter = QPainter(pixmap)
    half = size.height() // 3
    painter.drawImage(QRect(0, 0, size.width(), half), to_image(before[None]))
    painter.drawImage(QRect(0, half, size.width(), size.height() - half), to_image(after[None]))
    painter.end()
    return pixmap


def _picture(before: Levels, after: Levels) -> QIcon:
    """The same on a line that is chosen."""
    pixmap = before_and_after(before, after, PICTURE)
    icon = QIcon(pixmap)
    icon.addPixmap(pixmap, QIcon.Mode.Selected)
    return icon
