"""Drawing of results by loops, once a view is drawn again and again: where other ways to draw it are slow.

Until the loops of a program are compiled, in another process, and what stays of the view is worked out, on a thread,
pictures are drawn in another way.
"""

from collections import OrderedDict
from collections.abc import Callable
from functools import partial

from even_palette.core.arrays import Levels
from even_palette.core.graph.program import Program
from even_palette.core.jobs import CancelToken, make_apart
from even_palette.core.memory_account import Kept
from even_palette.core.results.pictures import Picture, View
from even_palette.cpu.compile_apart import compile_apart
from even_palette.cpu.view import LoopView, bytes_kept, has_room_to_read, keep_view, loops_of, program_to_draw

DRAWN_AGAIN = 4
"""So often a view is drawn before it is worth keeping what stays of it."""
WORTH_COMPILING = 12
"""And so often where its loops may have to be compiled first."""
MOST_REMEMBERED = 32

Key = tuple[Program, View, tuple[tuple[str, str], ...]]


class LoopDrawing:
    """Draws pictures that are `slow` to draw otherwise, where all is there for it; gives None where it is not."""

    def __init__(self, slow: Callable[[Picture], bool]) -> None:
        self.views: Kept[LoopView] = Kept("Views drawn by loops", 0.05, lambda view: view.bytes)
        self._slow = slow
        self._drawn: OrderedDict[Key, int] = OrderedDict()
        self._compiled: set[str] = set()
        self._known: set[Program] = set()
        self._given_up: set[Key] = set()
        self._working: CancelToken | None = None

    def begin(self, shown: Picture, view: View, filtered: bool) -> Levels | None:
        """(height, width, 4) uint8, encoded, alpha 0 off the sheet; None if it is to be drawn in another way."""
        program = program_to_draw(shown)
        if program is None or not filtered or not self._slow(shown):
            return None
        key = program, view, tuple((name, shown.slots[name].content_id) for name in program.slots)
        if kept := self.views.find(key):
            return kept.draw(shown)
        self._drawn[key] = self._drawn.pop(key, 0) + 1
        while len(self._drawn) > MOST_REMEMBERED:
            self._drawn.popitem(last=False)
        enough = DRAWN_AGAIN if program in self._known else WORTH_COMPILING
        if self._working is None and self._drawn[key] >= enough and key not in self._given_up:
            token = self._working = CancelToken()
            make_apart("drawing by loops", partial(self._make, key, shown, token), partial(self._take, key))
        return None

    def _make(self, key: Key, shown: Picture, token: CancelToken) -> LoopView | None:
        """On a thread of its own."""
        program, view, _ = key
        if bytes_kept(shown, program, view) > self.views.allowed or not has_room_to_read(shown, program, view):
            return None
        loops = loops_of(shown, program, view)
        missing = [loop for loop in loops if loop[0] not in self._compiled]
        if missing and not compile_apart(missing, token):
            return None
        self._compiled.update(text for text, _ in missing)
        kept = keep_view(shown, program, view, token)
        kept.draw(shown)  # so that its loop is loaded here
        return kept

    def _take(self, key: Key, made: LoopView | None) -> None:
        """On that thread. What could not be made once is not tried again."""
        if made is None:
            self._given_up.add(key)
        else:
            self._known.add(key[0])
            self.views.get(key, lambda: made)
        self._working = None

    def close(self) -> None:
        """End the process that compiles, and forget what is kept."""
        if self._working is not None:
            self._working.cancel()
        self.views.clear()
