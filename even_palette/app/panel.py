"""What the controls of all stages share: a scrolling column with a title."""

from PyQt6.QtCore import Qt, pyqtBoundSignal, pyqtSignal
from PyQt6.QtWidgets import QFrame, QScrollArea, QVBoxLayout, QWidget

from even_palette.app.controls import label
from even_palette.app.following import Following
from even_palette.app.session import Session
from even_palette.core.errors import NotReady
from even_palette.core.results.looks import Look

TRAY_PX = 312


class Panel(QScrollArea):
    """The controls of one stage. `refresh` shows the session's kit; it is called when the panel is visible.

    What panels want of others: `look_wanted` gives a look for the stand, `pick_wanted` a swatch that wants a colour
    from it, `proof_ready` what the player drew; `step_chosen` the number of a step; `tool_changed` says that the mouse
    may mean something else now, and `box_wanted` asks for a box to be drawn; `stage_wanted` names a stage to go to,
    `maps_wanted` asks for maps to be written, and `shots_wanted` for pictures of the scene, with a file and fields.
    """

    look_wanted = pyqtSignal(object)
    pick_wanted = pyqtSignal(object)
    proof_ready = pyqtSignal(object, object, object, str)
    step_chosen = pyqtSignal(int)
    tool_changed = pyqtSignal()
    box_wanted = pyqtSignal()
    stage_wanted = pyqtSignal(str)
    maps_wanted = pyqtSignal()
    shots_wanted = pyqtSignal(object, dict)

    def __init__(self, session: Session, title: str, told: str) -> None:
        super().__init__()
        self.session = session
        self._following = Following(session, self._follow, self)
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

    @property
    def followed(self) -> tuple[pyqtBoundSignal, ...]:
        """What it follows beside the kit, and what was made of it."""
        return ()

    def follow_made(self) -> None:
        """Something is there that a view found missing, perhaps this one."""
        self.follow()

    def follow_look(self, look: Look) -> None:
        """The stand looks at something else."""

    def follow_painter(self) -> None:
        """The step that is painted in, or the brush, is another one."""

    def choose_step(self, number: int) -> None:
        """Choose a step of the selected region's mask."""

    def focus_first(self) -> None:
        """Put the keyboard to what is edited first."""
        self.setFocus()

    def showEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().showEvent(event)
        self.follow()

    def follow(self) -> None:
        """Refresh if the panel can be seen, in a drag some times a second."""
        self._following()

    def _follow(self) -> None:
        """What it lacks is made, and then it refreshes again."""
        if not self.isVisible():
            return
        try:
            self.refresh()
        except NotReady as missing:
            self.session.results.make(missing)
