"""Following a kit: at once, or, while a value is dragged, some times a second, so that the picture comes first."""

from collections.abc import Callable

from PyQt6.QtCore import QObject

from even_palette.app.jobs import one_shot
from even_palette.app.session import Session

DRAG_MS, SELDOM_MS = 100, 140
"""So that what follows seldom does not follow in the same frame as the rest."""


class Following(QObject):
    """Calling it has something follow the kit. In a drag, which the picture follows with every step, it follows so
    many milliseconds after the first step that it has not seen; `is_due` until then.
    """

    def __init__(self, session: Session, follow: Callable[[], None], parent: QObject, after_ms: int = DRAG_MS) -> None:
        super().__init__(parent)
        self._session, self._follow = session, follow
        self._later = one_shot(self, after_ms, follow)

    @property
    def is_due(self) -> bool:
        """Whether something is to be followed yet."""
        return self._later.isActive()

    def __call__(self) -> None:
        if not self._session.history.in_drag:
            self._later.stop()
            self._follow()
        elif not self.is_due:
            self._later.start()
