"""What all panels share: a scrolling column with a title."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QScrollArea, QVBoxLayout, QWidget

from even_palette.app.controls import label
from even_palette.app.session import Session
from even_palette.core.errors import NotReady
from even_palette.core.results.looks import Look

TRAY_PX = 312


class Panel(QScrollArea):
    """The controls of one stage. `refresh` shows the session's kit; it is called when the panel is visible."""

    def __init__(self, session: Session, title: str, told: str) -> None:
        super().__init__()
        self.session = session
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        body = QWidget()
        body.setMaximumWidth(TRAY_PX)
        self.column = QVBoxLayout(body)
        self.column.setContentsMargins(16, 12, 16, 16)
        self.column.setSpacing(8)
        self.setWidget(body)
        self.title = label(title, "title")
        self.column.addWidget(self.title)
        if told:
            self.column.addWidget(label(told, "quiet"))

    def refresh(self) -> None:
        """Show what the kit is now."""

    def follow_look(self, look: Look) -> None:
        """The stand looks at something else."""

    def showEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().showEvent(event)
        self.follow()

    def follow(self) -> None:
        """Refresh if the panel can be seen. What it lacks is made, and then it refreshes again."""
        if not self.isVisible():
            return
        try:
            self.refresh()
        except NotReady as missing:
            self.session.results.make(missing)
