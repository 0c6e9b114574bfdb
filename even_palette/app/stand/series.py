"""Pictures that are drawn one after another while the window goes on: those of the tiles of a view."""

import time
from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtGui import QImage

from even_palette.app.jobs import one_shot
from even_palette.app.stand.renderer import POLL_MS, Image
from even_palette.core.arrays import Levels
from even_palette.core.results.pictures import Drawing

SLICE_S, SOON_S = 0.03, 0.004
"""So long pictures are drawn at a time, and so long the driver is waited for."""

Begin = Callable[[Any], Drawing | Levels]


class Series:
    """Draws for as long as the window may be kept waiting; `again` is called when there is more to do.

    What is under way stays so when the view changes, so that a view in motion is seen to move: it is `stale` then.
    """

    def __init__(self, parent: QObject, again: Callable[[], None]) -> None:
        self.stale = False
        self._again = again
        self._wanted: Sequence[Any] = ()
        self._made: list[QImage] = []
        self._flying: Drawing | None = None
        self._asking = one_shot(parent, POLL_MS, self._ask)

    @property
    def begun(self) -> bool:
        """Whether some of it is drawn or under way."""
        return self._flying is not None or bool(self._made)

    def start(self, wanted: Sequence[Any]) -> None:
        """Begin with these."""
        self.stale, self._wanted = False, wanted

    def forget(self) -> None:
        """What is under way is of no use any more."""
        if self._flying is not None:
            self._flying.drop()
        self._flying, self._made = None, []

    def draw(self, begin: Begin) -> list[QImage] | None:
        """Go on; the pictures once all are there. `begin` gives one, or what is being drawn."""
        started = time.monotonic()
        while len(self._made) < len(self._wanted):
            begun = self._flying or begin(self._wanted[len(self._made)])
            if isinstance(begun, np.ndarray):
                self._made.append(Image(begun))
            elif begun.done(SOON_S):
                self._made.append(Image(begun.pixels))
                self._flying = None
            else:
                self._flying = begun
                self._asking.start()
                return None
            if time.monotonic() - started > SLICE_S and len(self._made) < len(self._wanted):
                QTimer.singleShot(0, self._again)
                return None
        made, self._made = self._made, []
        return made

    def _ask(self) -> None:
        """Go on once the driver is done, without painting until then what is seen already."""
        if self._flying is None or self._flying.done():
            self._again()
        else:
            self._asking.start()
