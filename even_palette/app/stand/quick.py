"""Quick drawing of results by loops, once a view is drawn again and again: where OpenGL is done by the processor, or
has no room for a material's planes.

Until the loops of a program are compiled, in another process, and what stays of the view is worked out, on a thread,
pictures are drawn as anywhere else.
"""

from collections import OrderedDict
from functools import partial

from PyQt6.QtCore import QObject, pyqtSignal

from even_palette.app.jobs import make_apart
from even_palette.app.stand.renderer import Renderer
from even_palette.core.arrays import Levels
from even_palette.core.graph.compiling import compile_apart
from even_palette.core.graph.program import Program
from even_palette.core.graph.slots import MOST_UNITS
from even_palette.core.jobs import CancelToken
from even_palette.core.memory_account import Kept
from even_palette.core.results.loop_view import (
    LoopView,
    bytes_kept,
    keep_view,
    loops_of,
    program_to_draw,
)
from even_palette.core.results.pictures import Picture, View

DRAWN_AGAIN = 4
"""So often a view is drawn before it is worth keeping what stays of it."""
WORTH_COMPILING = 12
"""And so often where its loops may have to be compiled first."""
MOST_REMEMBERED = 32

Key = tuple[Program, View, tuple[tuple[str, str], ...]]


class QuickDrawing(QObject):
    """Draws pictures by loops where that is quicker and all is there for it; gives None otherwise."""

    _made = pyqtSignal(object, object)

    def __init__(self, renderer: Renderer, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.renderer = renderer
        self.views: Kept[LoopView] = Kept("Views drawn by loops", 0.05, lambda view: view.bytes)
        self._drawn: OrderedDict[Key, int] = OrderedDict()
        self._compiled: set[str] = set()
        self._known: set[Program] = set()
        self._given_up: set[Key] = set()
        self._working: CancelToken | None = None
        self._made.connect(self._receive)

    def draw(self, shown: Picture, view: View) -> Levels | None:
        """(height, width, 4) uint8, encoded, alpha 0 off the sheet; None if it is to be drawn otherwise."""
        program = program_to_draw(shown)
        if program is None or not (self.renderer.in_software or len(program.slots) > MOST_UNITS):
            return None
        key = program, view, tuple((name, shown.slots[name].content_id) for name in program.slots)
        if kept := self.views.find(key):
            return kept.draw(shown)
        self._drawn[key] = self._drawn.pop(key, 0) + 1
        while len(self._drawn) > MOST_REMEMBERED:
            self._drawn.popitem(last=False)
        enough = DRAWN_AGAIN if program in self._known else WORTH_COMPILING
        if self._working is None and self._drawn[key] >= enough and key not in self._given_up:
            self._begin(key, shown)
        return None

    def _begin(self, key: Key, shown: Picture) -> None:
        token = self._working = CancelToken()
        make_apart("quick drawing", partial(self._make, key, shown, token), partial(self._made.emit, key))

    def _make(self, key: Key, shown: Picture, token: CancelToken) -> LoopView | None:
        program, view, _ = key
        if bytes_kept(shown, program, view) > self.views.allowed:
            return None
        loops = loops_of(shown, program, view)
        missing = [loop for loop in loops if loop[0] not in self._compiled]
        if missing and not compile_apart(missing, token):
            return None
        self._compiled.update(text for text, _ in missing)
        kept = keep_view(shown, program, view, token)
        kept.draw(shown)  # so that its loop is loaded here
        return kept

    def _receive(self, key: Key, made: LoopView | None) -> None:
        """What could not be made once is not tried again."""
        self._working = None
        if made is None:
            self._given_up.add(key)
            return
        self._known.add(key[0])
        self.views.get(key, lambda: made)

    def close(self) -> None:
        """End the process that compiles, and forget what is kept."""
        if self._working is not None:
            self._working.cancel()
        self.views.clear()
