"""What the ledge shows of a stage."""

from collections.abc import Sequence

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QStackedWidget

from even_palette.app.session import Session
from even_palette.core.results.looks import Look


class Page(QStackedWidget):
    """A stage's part of the ledge, in one or more `tabs`.

    `look_wanted` gives a look for the stand, `place_wanted` a rectangle of uv that it goes to, `pictures_wanted` names
    and planes to be shown, `line_wanted` asks for a line to be drawn, `step_chosen` gives the number of a step of the
    selected region. Where the first of the tabs is the board, the page `begins_with_board`, and the others are its own.
    """

    look_wanted = pyqtSignal(object)
    place_wanted = pyqtSignal(float, float, float, float)
    pictures_wanted = pyqtSignal(object, object)
    line_wanted = pyqtSignal()
    step_chosen = pyqtSignal(int)
    tabs: Sequence[str] = ()
    begins_with_board = False

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session

    def show_tab(self, number: int) -> None:
        """Show one of the tabs."""
        self.setCurrentIndex(number)

    def entered(self) -> None:
        """The stage is entered."""

    def follow_look(self, look: Look) -> None:
        """The stand looks at something else."""

    def follow_step(self, number: int) -> None:
        """A step is chosen in the tray."""
