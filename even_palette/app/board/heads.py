"""The heads of the board: variants as pictures with their names, regions by colour and name."""

from PyQt6.QtCore import QRect, Qt
from PyQt6.QtGui import QColor, QPainter
from PyQt6.QtWidgets import (
    QHeaderView,
    QWidget,
)

from even_palette.app.board.model import BoardModel
from even_palette.app.session import Session
from even_palette.app.theme import grey, tokens
from even_palette.app.thumbnails import Thumbnails
from even_palette.core.colour.hexcode import format_hex

ROW_PX, COLUMN_PX, NAME_PX = 26, 132, 150
THUMB_PX, HEAD_PX = 46, 74


class Heads(QHeaderView):
    """Heads of one size that can be clicked."""

    def __init__(self, way: Qt.Orientation, name: str, section_px: int, parent: QWidget) -> None:
        super().__init__(way, parent)
        self.setAccessibleName(name)
        self.setDefaultSectionSize(section_px)
        self.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        self.setSectionsClickable(True)

    def redraw(self) -> None:
        """Draw all of them anew."""
        if (viewport := self.viewport()) is not None:
            viewport.update()


class VariantHeads(Heads):
    """Column heads: a live thumbnail of each variant with its name."""

    def __init__(self, thumbnails: Thumbnails, parent: QWidget) -> None:
        super().__init__(Qt.Orientation.Horizontal, "Variants", COLUMN_PX, parent)
        self.thumbnails = thumbnails
        thumbnails.made.connect(self.redraw)
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
        super().__init__(Qt.Orientation.Vertical, "Regions", ROW_PX, parent)
        self.session = session
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
