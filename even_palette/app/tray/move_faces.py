"""Moving chosen faces on the sheet, so that a part takes another half or quarter of the paint."""

from PyQt6.QtWidgets import QPushButton

from even_palette.app.choosing import Choice
from even_palette.app.controls import Fold, choice, label, row, tool
from even_palette.app.session import Session
from even_palette.core.results.dividing import move_back, move_on_sheet

WAYS = (
    ("left", "arrow-left", -1, 0),
    ("right", "arrow-right", 1, 0),
    ("up", "arrow-up", 0, -1),
    ("down", "arrow-down", 0, 1),
)


class MoveFaces(Fold):
    """By how much, four ways, and back to where the file has them."""

    def __init__(self, session: Session, chosen: Choice) -> None:
        super().__init__("Move on the sheet")
        self.session, self.chosen = session, chosen
        self.column.addWidget(label("Lays the chosen faces on other paint.", "quiet"))
        self.by = choice("How far faces are moved", [("By ½", 2), ("By ¼", 1)])
        self.ways = []
        for name, icon, across, down in WAYS:
            button = tool(f"Move {name}", icon, f"Move the chosen faces {name} on the sheet")
            button.clicked.connect(lambda _, across=across, down=down: self._move(across, down))
            self.ways.append(button)
        self.back = QPushButton("Back")
        self.back.setToolTip("Put the chosen faces where they lie in their file")
        self.back.clicked.connect(self._put_back)
        self.column.addLayout(row(self.by, *self.ways, self.back, stretch=0))
        chosen.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Offer what can be done with what is chosen."""
        there = bool(self.chosen.faces.any())
        for button in (*self.ways, self.back):
            button.setEnabled(there)

    def _move(self, across: int, down: int) -> None:
        session, faces, by = self.session, self.chosen.faces, self.by.currentData()
        at = session.at.whole.at(session.at.key)
        session.do_made("Move faces", lambda: move_on_sheet(at, session.sheets, faces, across * by, down * by))

    def _put_back(self) -> None:
        session, faces = self.session, self.chosen.faces
        at = session.at.whole.at(session.at.key)
        session.do_made("Move faces", lambda: move_back(at, session.sheets, faces))
