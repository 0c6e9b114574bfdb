"""Named starting points of a finish as small lit balls; a click takes one."""

import numpy as np
from PyQt6.QtCore import QSize, pyqtSignal
from PyQt6.QtGui import QIcon, QPixmap
from PyQt6.QtWidgets import QListWidget, QListWidgetItem

from even_palette.app.ball import ball
from even_palette.app.session import Session
from even_palette.core.arrays import float32
from even_palette.core.colour.srgb import srgb_to_linear
from even_palette.core.errors import NotReady, UserError
from even_palette.core.kit.coat_owners import SheetOwner
from even_palette.core.kit.model import Focus
from even_palette.core.material.declare import CoatKind
from even_palette.core.material.model import Colour
from even_palette.core.results.strips import coat_strip

BALL_PX = 36


class StartChart(QListWidget):
    """`chosen` gives the name of the starting point that was clicked."""

    chosen = pyqtSignal(str)

    def __init__(self, kind: CoatKind) -> None:
        super().__init__()
        self._kind = kind
        self.setAccessibleName("Starting points")
        self.setViewMode(QListWidget.ViewMode.IconMode)
        self.setIconSize(QSize(BALL_PX, BALL_PX))
        self.setGridSize(QSize(84, BALL_PX + 26))
        self.setMovement(QListWidget.Movement.Static)
        self.setResizeMode(QListWidget.ResizeMode.Adjust)
        self.setProperty("imageArea", True)
        for name, _ in kind.starts:
            self.addItem(QListWidgetItem(name))
        self.setFixedHeight(-(-len(kind.starts) // 3) * (BALL_PX + 26) + 6)
        self.itemClicked.connect(lambda item: self.chosen.emit(item.text()))

    def show_colour(self, colour: Colour) -> None:
        """Show the balls in a linear colour, such as that of the region."""
        for row, (_, values) in enumerate(self._kind.starts):
            item = self.item(row)
            assert item is not None
            image = ball(BALL_PX, colour, values["metalness"], values["roughness"], values["clear_coat"])
            icon = QIcon(QPixmap.fromImage(image))
            icon.addPixmap(QPixmap.fromImage(image), QIcon.Mode.Selected)
            item.setIcon(icon)


def seen_colour(session: Session, at: Focus, owner: SheetOwner) -> Colour:
    """The mean colour of an owner as the variant wears it, linear; grey while that is made."""
    try:
        strip = coat_strip(at, session.sheets, owner, session.variant)
    except (NotReady, UserError):
        return (0.4, 0.4, 0.4)
    red, green, blue = srgb_to_linear(float32(strip) / np.float32(255)).mean(axis=0).round(2).tolist()
    return (red, green, blue)
