"""Pictures that are slow to draw, as OpenGL has no room for their planes: coarse at once, exact after that."""

from contextlib import suppress
from math import ceil
from threading import Thread

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from even_palette.app.stand.renderer import by_reference
from even_palette.core.arrays import Levels
from even_palette.core.jobs import Cancelled, CancelToken
from even_palette.core.log import log
from even_palette.core.results.looks import Picture, View

COARSE = 8
"""So many pixels of a view, across and down, show one at first."""
AT_ONCE_PIXELS = 1 << 12
MOST_KEPT = 8

Wanted = tuple[Picture, View, bool]


class LaterDrawing(QObject):
    """Draws by the reference, on a thread, one picture at a time; `finer` says that one is there in full."""

    finer = pyqtSignal()
    _made = pyqtSignal(object, object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._kept: list[tuple[Wanted, Levels | None]] = []
        self._waiting: list[Wanted] = []
        self._working: tuple[Wanted, CancelToken] | None = None
        self._made.connect(self._receive)

    def draw(self, shown: Picture, view: View, filtered: bool) -> Levels:
        """(height, width, 4) uint8, encoded, alpha 0 off the sheet; in squares until it is there in full."""
        wanted = shown, view, filtered
        found = next((pixels for known, pixels in self._kept if _same(known, wanted)), None)
        if found is not None:
            return found
        if view.width * view.height <= AT_ONCE_PIXELS:
            return by_reference(shown, view, filtered)
        there = [known for known, _ in self._kept] + self._waiting + ([self._working[0]] if self._working else [])
        if not any(_same(known, wanted) for known in there):
            self._waiting = [*self._waiting, wanted][-MOST_KEPT:]
            self._go_on()
        across, down = view.scale[0] * COARSE, view.scale[1] * COARSE
        coarse = View(view.origin, (across, down), ceil(view.width / COARSE), ceil(view.height / COARSE))
        squares = by_reference(shown, coarse, filtered).repeat(COARSE, axis=0).repeat(COARSE, axis=1)
        return np.ascontiguousarray(squares[: view.height, : view.width])

    def close(self) -> None:
        """End what is being drawn."""
        self._waiting = []
        if self._working is not None:
            self._working[1].cancel()

    def _go_on(self) -> None:
        if self._working is not None or not self._waiting:
            return
        wanted, token = self._waiting.pop(), CancelToken()
        self._working = wanted, token

        def work() -> None:
            pixels = None
            try:
                pixels = by_reference(*wanted, token)
            except Cancelled:
                return
            except Exception:
                log().exception("A picture could not be drawn by the reference")
            with suppress(RuntimeError):  # the window closed meanwhile
                self._made.emit(wanted, pixels)

        Thread(target=work, name="drawing later", daemon=True).start()

    def _receive(self, wanted: Wanted, pixels: Levels | None) -> None:
        """What could not be drawn stays coarse, and is not tried again."""
        self._working = None
        self._kept = [*self._kept, (wanted, pixels)][-MOST_KEPT:]
        self._go_on()
        if pixels is not None:
            self.finer.emit()


def _same(one: Wanted, other: Wanted) -> bool:
    return one[1:] == other[1:] and one[0].looks_like(other[0])
