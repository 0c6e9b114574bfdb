"""The variants as a strip of small pictures."""

from PyQt6.QtCore import QRect, QSize, Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from even_palette.app.session import Session
from even_palette.app.theme import grey, tokens
from even_palette.app.thumbnails import Thumbnails

HEAD_PX = 58
CHIP_PX, LEAST_CHIP_PX, CHIP_PICTURE_PX = 112, 64, 40


class VariantStrip(QWidget):
    """The variants as small pictures with their names. A click or the arrow keys select one."""

    def __init__(self, session: Session, thumbnails: Thumbnails) -> None:
        super().__init__()
        self.session, self.thumbnails = session, thumbnails
        self.setAccessibleName("Variants as pictures")
        self.setProperty("imageArea", True)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self._told: tuple[object, ...] = ()
        thumbnails.made.connect(self.update)
        for signal in (session.changed, session.selection_changed, session.shown_changed):
            signal.connect(self._follow)

    def _follow(self) -> None:
        """Paint anew where the names are others, or the one that is selected; pictures tell of themselves."""
        told = self.session.kit.variant_names, self.session.variant, self.session.shown is None
        if told != self._told:
            self._told = told
            self.update()

    def variants(self) -> list[str]:
        """The keys of the variants, the master first."""
        return list(self.session.kit.variant_names)

    def chip(self, index: int) -> QRect:
        """Where a variant's picture and name are; the row moves so that the selected one is seen."""
        width = max(LEAST_CHIP_PX, min(CHIP_PX, self.width() // len(self.variants())))
        hidden = max(0, (self._selected() + 1) * width - self.width())
        return QRect(index * width - hidden, 2, width - 4, HEAD_PX - 4)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, t = QPainter(self), tokens()
        for index, variant in enumerate(self.variants()):
            chip = self.chip(index)
            if not chip.intersects(self.rect()):
                continue
            box = QRect(chip.x() + 1, chip.y() + 1, chip.width() - 2, CHIP_PICTURE_PX - 4)
            text = QRect(chip.x() + 1, box.bottom() + 1, chip.width() - 2, chip.bottom() - box.bottom() - 1)
            self.thumbnails.paint(painter, variant, box, text)
            if variant == self.session.variant:
                painter.setPen(QPen(grey(t.text), 2 if self.hasFocus() else 1))
                painter.drawRect(chip.adjusted(0, 0, -1, -1))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        at = event.position().toPoint()
        for index, variant in enumerate(self.variants()):
            if self.chip(index).contains(at):
                self.session.select(variant=variant)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        by = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()), 0)
        if not by:
            super().keyPressEvent(event)
            return
        variants = self.variants()
        self.session.select(variant=variants[min(max(0, self._selected() + by), len(variants) - 1)])

    def _selected(self) -> int:
        variants = self.variants()
        return variants.index(self.session.variant) if self.session.variant in variants else 0

    def sizeHint(self) -> QSize:
        return QSize(5 * CHIP_PX, HEAD_PX)
