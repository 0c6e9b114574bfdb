"""A plain colour in place of paint: the colour and its size."""

from collections.abc import Callable

from PyQt6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from even_palette.app.controls import choice, label, offer, row
from even_palette.app.session import Session
from even_palette.app.swatch.editor import SwatchEditor
from even_palette.core.kit import commands
from even_palette.core.kit.sheet import Source
from even_palette.core.material.model import Colour

SIZES = (64, 128, 256, 512, 1024, 2048, 4096)
FIRST = (128, 128, 128)


def plain_button(session: Session) -> QPushButton:
    """Gives the sheet in front a plain base colour."""
    button = QPushButton("Use a plain colour")
    button.setToolTip("A base colour without a file: for what was never painted. Regions, coats and bakes work on it")
    button.clicked.connect(lambda: session.do(commands.add_plain_colour(session.at.key, FIRST)))
    return button


class PlainColour(QWidget):
    """Edits a plain base; its lines stay while its colour changes."""

    def __init__(self, session: Session, source: Source, pick_wanted: Callable[[SwatchEditor], None]) -> None:
        super().__init__()
        self.session, self.key = session, source.key
        self.swatch = SwatchEditor("Plain colour", session)
        self.swatch.changed.connect(self._set)
        self.swatch.finished.connect(session.end_merge)
        self.swatch.pick_wanted.connect(lambda: pick_wanted(self.swatch))
        self.side = choice("Size of the plain colour", [])
        self.side.setToolTip("How large what is made of it is: renders, and textures that a coat bakes into")
        self.side.activated.connect(lambda i: self._resize(self.side.itemData(i)))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addWidget(self.swatch)
        column.addLayout(row(label("Size", "section"), self.side, stretch=1))
        self.show_source(source)

    def show_source(self, source: Source) -> None:
        """Show the colour and size as they are now."""
        assert source.plain is not None
        red, green, blue = (level / 255 for level in source.plain)
        self.swatch.show_colour((red, green, blue))
        sizes = sorted({*SIZES, source.width})
        offer(self.side, [(f"{side} × {side}", side) for side in sizes], source.width)

    def _set(self, colour: Colour) -> None:
        red, green, blue = (min(255, max(0, round(part * 255))) for part in colour)
        self.session.do(commands.set_plain_colour(self.session.at.key, self.key, (red, green, blue)))

    def _resize(self, side: int) -> None:
        self.session.do(commands.set_plain_size(self.session.at.key, self.key, side, side))
