"""Stages that are not built yet say in one line what they will hold."""

from even_palette.app.session import Session
from even_palette.app.tray.panel import Panel


class NotePanel(Panel):
    def __init__(self, session: Session, title: str, told: str) -> None:
        super().__init__(session, title, told)
        self.column.addStretch(1)
