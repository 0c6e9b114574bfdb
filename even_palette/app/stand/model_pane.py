"""The model pane: its canvas, and in its foot the look, lit or flat, and frame."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QToolButton, QVBoxLayout, QWidget

from even_palette.app import plain
from even_palette.app.session import Session
from even_palette.app.stand.look_box import LookBox
from even_palette.app.stand.model_canvas import ModelCanvas
from even_palette.app.stand.renderer import Renderer
from even_palette.app.stand.skins import model_points, skins_of
from even_palette.app.stand.tiles import Tile
from even_palette.core.errors import NotReady, UserError
from even_palette.core.kit.model import Focus
from even_palette.core.results.looks import Look
from even_palette.core.results.sheet_mesh import mesh_on_sheet

if TYPE_CHECKING:
    from even_palette.gl.model_view import Skin

EMPTY = "There is no mesh on this sheet yet; drop a mesh file here, or open one in Source."


class ModelPane(QWidget):
    """Shows the meshes of the sheet in front. Without a look of its own it follows the sheet pane."""

    look_chosen = pyqtSignal()

    def __init__(self, session: Session, renderer: Renderer) -> None:
        super().__init__()
        self.session, self.renderer = session, renderer
        self.canvas = ModelCanvas(renderer, self)
        self.look_box = LookBox("Look of the model", "As the sheet pane")
        self.look_box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.look_box.setMinimumContentsLength(10)
        self.look_box.look_chosen.connect(self._choose_look)
        lit_tip = "Lit by a neutral studio (Ctrl-drag turns the light), or flat: the sheet's exact colours (I)"
        self.lit_button = foot_button("Lit", "model", lit_tip, True)
        self.lit_button.clicked.connect(lambda: self.canvas.set_lit(self.lit_button.isChecked()))
        frame = foot_button("Frame", "model", "All of the mesh in view (G)", False)
        frame.clicked.connect(self.canvas.frame)
        put_over_foot(self, self.canvas, self.look_box, self.lit_button, frame)

    def _choose_look(self, look: Look | None) -> None:
        self.session.view.change(quiet=True, model_look=look)
        self.look_chosen.emit()

    def fill_looks(self, looks: list[tuple[str, Look]]) -> None:
        """Offer these looks, and the one of the sheet pane."""
        own = self.session.view.state.model_look
        own = own if own in dict(looks).values() else None
        self.session.view.change(quiet=True, model_look=own)
        self.look_box.show_looks(looks, own)

    def show_looks(self, at: Focus, looks: list[tuple[str, Look, str, Look | None]]) -> None:
        """Show looks, each with its label and perhaps another one to wipe to. What cannot be shown is told."""
        try:
            if mesh_on_sheet(at, self.session.sheets) is None:
                self.canvas.show_message(EMPTY)
                return
            if trouble := self.renderer.model_trouble():
                self.canvas.show_message(trouble)
                return
            tiles = [
                Tile(
                    label,
                    skins_of(self.session, at, look),
                    other_label,
                    skins_of(self.session, at, other) if other else None,
                )
                for label, look, other_label, other in looks
            ]
        except NotReady as missing:
            if told := self.session.results.make(missing):
                self.canvas.show_message(told)
            return
        except UserError as error:
            self.canvas.show_message(self.session.results.bake_state(looks[0][1].bake) or str(error))
            return
        skins: list[Skin] = tiles[0].picture

        self.canvas.show_tiles(tiles, lambda: model_points(skins), "".join(skin.mesh.content_id for skin in skins))


def foot_button(text: str, pane: str, tip: str, checkable: bool) -> QToolButton:
    """A button for the foot of a pane, whose name is told to those who cannot see where it stands."""
    button = QToolButton()
    button.setText(text)
    button.setToolTip(plain.tip(tip))
    button.setAccessibleName(f"{text} ({pane})")
    button.setCheckable(checkable)
    return button


def put_over_foot(pane: QWidget, canvas: QWidget, first: QWidget, *others: QWidget) -> None:
    """Lay a pane out: its canvas, and below it a foot in which `first` takes what `others` leave."""
    foot = QWidget()
    foot.setObjectName("foot")
    row = QHBoxLayout(foot)
    row.setContentsMargins(8, 4, 8, 4)
    row.setSpacing(6)
    row.addWidget(first, 1)
    for other in others:
        row.addWidget(other)
    column = QVBoxLayout(pane)
    column.setContentsMargins(0, 0, 0, 0)
    column.setSpacing(0)
    column.addWidget(canvas, 1)
    column.addWidget(foot)
