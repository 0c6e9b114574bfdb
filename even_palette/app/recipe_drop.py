"""Recipes dragged from the shelf onto regions: on the board, on the sheet and on the model."""

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QEvent, QObject, QPointF
from PyQt6.QtGui import QDragMoveEvent, QDropEvent
from PyQt6.QtWidgets import QWidget

from even_palette.app.board.board import Board
from even_palette.app.pointing import Pointing
from even_palette.app.readout import Readout
from even_palette.app.session import Session
from even_palette.app.stand.stand import Stand
from even_palette.app.tray.shelf import DRAGGED, wear
from even_palette.core.kit.recipe_file import SUFFIX

RegionAt = Callable[[QPointF], str]


class RecipeDrop(QObject):
    """Hears drags over what shows regions; while one is over a region, the foot of the window says what would be."""

    def __init__(self, session: Session, board: Board, stand: Stand, pointing: Pointing, readout: Readout) -> None:
        super().__init__(stand)
        self.session, self.readout = session, readout
        self._places: dict[QObject, RegionAt] = {}

        def on_board(at: QPointF) -> str:
            row = board.rowAt(int(at.y()))
            owner = board.board_model.owner(row) if row >= 0 else ""
            return owner if isinstance(owner, str) else ""

        def on_sheet(at: QPointF) -> str:
            uv = stand.canvas.uv_at(at)
            return pointing.region_at(*uv) if uv is not None else ""

        def on_model(at: QPointF) -> str:
            return pointing.region_of_face(stand.model.canvas.face_at(at))

        self._hear(board.viewport(), on_board)
        self._hear(board.names.viewport(), on_board)
        self._hear(stand.canvas, on_sheet)
        self._hear(stand.model.canvas, on_model)

    def _hear(self, widget: QWidget | None, region_at: RegionAt) -> None:
        assert widget is not None
        widget.setAcceptDrops(True)
        widget.installEventFilter(self)
        self._places[widget] = region_at

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if not isinstance(event, QDropEvent) or watched not in self._places:
            return False
        data = event.mimeData()
        if data is None or not data.hasFormat(DRAGGED):
            return False
        region, name = self._places[watched](event.position()), data.data(DRAGGED).data().decode()
        if isinstance(event, QDragMoveEvent):  # entering is one, too; all of a pane stays entered
            told = f"{self._called(name)} → {self.session.kit.region(region).name}" if region else "No region here"
            self.readout.under_cursor.setText(told)
            event.setAccepted(bool(region) or event.type() == QEvent.Type.DragEnter)
            return True
        event.setAccepted(bool(region))
        if region:
            self.session.select(region)
            wear(self.session, name, [region])
        return True

    def _called(self, name: str) -> str:
        recipes = {recipe.key: recipe.name for recipe in self.session.kit.recipes}
        return recipes.get(name) or Path(name).name.removesuffix(SUFFIX)
