"""The cells of an atlas as pictures; a click chooses one."""

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QIcon, QPixmap
from PyQt6.QtWidgets import QListWidget, QListWidgetItem

from even_palette.app.session import Session
from even_palette.app.stand.renderer import to_image
from even_palette.core.arrays import Levels
from even_palette.core.errors import NotReady, UserError
from even_palette.core.kit.model import Focus
from even_palette.core.material.model import PlaneUse
from even_palette.core.results.slots import cell_pictures

PICTURE_PX = 48


class CellGrid(QListWidget):
    """`chosen` gives the number of the cell that was clicked."""

    chosen = pyqtSignal(int)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setAccessibleName("Cells of the atlas")
        self.setViewMode(QListWidget.ViewMode.IconMode)
        self.setIconSize(QSize(PICTURE_PX, PICTURE_PX))
        self.setGridSize(QSize(PICTURE_PX + 8, PICTURE_PX + 26))
        self.setMovement(QListWidget.Movement.Static)
        self.setResizeMode(QListWidget.ResizeMode.Adjust)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setProperty("imageArea", True)
        self._shown: object = None
        self.itemClicked.connect(lambda item: self.chosen.emit(self.row(item)))

    def show_cells(self, at: Focus, use: PlaneUse | None, chosen: float) -> None:
        """Show the cells of an atlas, and which one is used."""
        self.setVisible(use is not None)
        if use is None:
            return
        shape = (at.key, use.plane, use.grid, use.count)
        if shape != self._shown:
            try:
                pictures = self._pictures(at, use)
            except UserError:
                pictures = []
            if pictures is None:
                return
            self._shown = shape
            self.clear()
            for number, picture in enumerate(pictures):
                self.addItem(QListWidgetItem(QIcon(QPixmap.fromImage(to_image(picture))), str(number)))
            rows = -(-len(pictures) // 4)
            self.setFixedHeight(min(rows, 3) * (PICTURE_PX + 26) + 6)
        self.blockSignals(True)
        self.setCurrentRow(round(chosen))
        self.blockSignals(False)

    def _pictures(self, at: Focus, use: PlaneUse) -> list[Levels] | None:
        """Small pictures of the cells, encoded; None while they are made."""
        sheets = self.session.sheets

        def gather() -> list[Levels]:
            return cell_pictures(at, sheets, use, PICTURE_PX)

        try:
            return gather()
        except NotReady as missing:
            self.session.results.make(NotReady(("cells", repr(use), missing.name), gather))
            return None
