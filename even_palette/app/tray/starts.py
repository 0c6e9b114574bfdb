"""Named starting points of a finish as small lit balls; a click takes one."""

from PyQt6.QtCore import QSize, pyqtSignal
from PyQt6.QtGui import QIcon, QPixmap
from PyQt6.QtWidgets import QListWidget, QListWidgetItem

from even_palette.app.ball import ball
from even_palette.core.material.declare import CoatKind
from even_palette.core.material.model import Colour

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
