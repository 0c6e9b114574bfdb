"""How the sheet in front is drawn where its opacity is not 1, and what lies behind it in the sheet pane."""

from typing import Any

from msgspec.structs import replace
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QVBoxLayout, QWidget

from even_palette.app.controls import choice, label, row, show_choice
from even_palette.app.number import NumberRow
from even_palette.app.session import Session
from even_palette.core.kit import commands
from even_palette.core.material.drawn import Way
from even_palette.core.results.behind import Behind

WAYS = [
    ("Opaque", Way.OPAQUE),
    ("Cut out", Way.CUT_OUT),
    ("Blended", Way.BLENDED),
    ("Dithered", Way.DITHERED),
]
LABEL_PX = 80
BEHIND = [("a checker", Behind.CHECKER), ("plain grey", Behind.GREY), ("the paint itself", Behind.PAINT)]


class DrawingCard(QWidget):
    """Choices whose lines come and go with the way. `behind_changed` tells that the pane shows something else."""

    behind_changed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.way_label = label("Drawn")
        self.way_label.setMinimumWidth(LABEL_PX)
        self.way = choice("How it is drawn", list(WAYS))
        self.way.setToolTip(
            "What opacity does, in all views and in the package. Opaque: nothing. Cut out: hides what is below a "
            "threshold. Blended: what is behind shines through. Dithered: so many pixels are left out"
        )
        self.way.activated.connect(lambda i: self._set(way=self.way.itemData(i)))
        self.sided = QCheckBox("One-sided")
        self.sided.setToolTip("Faces are not seen from behind; otherwise they are lit there with the normal turned")
        self.sided.clicked.connect(lambda on: self._set(one_sided=on))
        self.threshold = NumberRow("Threshold", 0, 1, "", 3, "What has this opacity or more is seen; try 51/255")
        self.threshold.changed.connect(lambda value: self._set(threshold=value))
        self.threshold.finished.connect(session.end_merge)
        self.behind = choice("What lies behind", list(BEHIND))
        self.behind.setToolTip("In the sheet pane alone; it is no part of the kit")
        self.behind.activated.connect(self._look_over)
        self.behind_label = label("Seen over")
        self.behind_label.setMinimumWidth(LABEL_PX)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addLayout(row(self.way_label, self.way, self.sided, stretch=1))
        column.addWidget(self.threshold)
        column.addLayout(row(self.behind_label, self.behind, stretch=1))
        self.show_sheet()

    def show_sheet(self) -> None:
        """Show what the sheet in front says now."""
        drawing = self.session.at.sheet.drawing
        show_choice(self.way, drawing.way)
        self.sided.setChecked(drawing.one_sided)
        self.threshold.setVisible(drawing.way == Way.CUT_OUT)
        if not self.threshold.slider.isSliderDown():
            self.threshold.show_value(drawing.threshold)
        show_choice(self.behind, self.session.view.state.behind)
        for widget in (self.behind_label, self.behind):
            widget.setVisible(drawing.way != Way.OPAQUE)

    def _set(self, **fields: Any) -> None:
        at = self.session.at
        self.session.do(commands.set_drawing(at.key, replace(at.sheet.drawing, **fields)))
        if "threshold" not in fields:
            self.session.end_merge()

    def _look_over(self, place: int) -> None:
        self.session.view.change(quiet=True, behind=self.behind.itemData(place))
        self.behind_changed.emit()
