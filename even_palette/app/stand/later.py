"""Pictures that are slow to draw, as OpenGL has no room for their planes: coarse at once, exact after that."""

from functools import partial
from math import ceil

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from even_palette.app.stand.renderer import by_reference
from even_palette.core.arrays import Levels
from even_palette.core.jobs import CancelToken, make_apart
from even_palette.core.results.pictures import Picture, View

COARSE = 8
"""So many pixels of a view, across and down, show one at first."""
AT_ONCE_PIXELS = 1 << 12

Wanted = tuple[Picture, View, bool]


class LaterDrawing(QObject):
    """Draws by the reference, on a thread, one picture at a time; `finer` says that one is there in full.

    What is drawn between `start` and `go_on` is what is seen: other pictures are forgotten, and not drawn on.
    """

    finer = pyqtSignal()
    _made = pyqtSignal(object, object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._seen: list[Wanted] = []
        self._made_of: list[tuple[Wanted, Levels | None]] = []
        self._working: tuple[Wanted, CancelToken] | None = None
        self._made.connect(self._receive)

    def start(self) -> None:
        """What is seen is drawn anew."""
        self._seen = []

    def begin(self, shown: Picture, view: View, filtered: bool) -> Levels:
        """(height, width, 4) uint8, encoded, alpha 0 off the sheet; in squares until it is there in full."""
        wanted = shown, view, filtered
        if view.width * view.height <= AT_ONCE_PIXELS:
            return by_reference(shown, view, filtered)
        self._seen.append(wanted)
        found = next((pixels for known, pixels in self._made_of if _same(known, wanted)), None)
        if found is not None:
            return found
        across, down = view.scale[0] * COARSE, view.scale[1] * COARSE
        coarse = View(view.origin, (across, down), ceil(view.width / COARSE), ceil(view.height / COARSE))
        squares = by_reference(shown, coarse, filtered).repeat(COARSE, axis=0).repeat(COARSE, axis=1)
        return np.ascontiguousarray(squares[: view.height, : view.width])

    def go_on(self) -> None:
        """Draw in full what is seen and is not there yet."""
        self._made_of = [made for made in self._made_of if _among(made[0], self._seen)]
        if self._working is not None:
            if _among(self._working[0], self._seen):
                return
            self.close()
        there = [known for known, _ in self._made_of]
        wanted = next((each for each in self._seen if not _among(each, there)), None)
        if wanted is not None:
            work = self._working = wanted, CancelToken()
            make_apart("drawing later", partial(by_reference, *wanted, work[1]), partial(self._made.emit, work))

    def close(self) -> None:
        """End what is being drawn."""
        if self._working is not None:
            self._working[1].cancel()
            self._working = None

    def _receive(self, work: tuple[Wanted, CancelToken], pixels: Levels | None) -> None:
        """What could not be drawn stays coarse, and is not tried again."""
        if work is not self._working:
            return
        self._working = None
        self._made_of.append((work[0], pixels))
        self.go_on()
        if pixels is not None:
            self.finer.emit()


def _among(wanted: Wanted, others: list[Wanted]) -> bool:
    return any(_same(wanted, other) for other in others)


def _same(one: Wanted, other: Wanted) -> bool:
    return one[1:] == other[1:] and one[0].looks_like(other[0])
