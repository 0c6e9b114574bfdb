"""Quick drawing of results where OpenGL is done by the processor: by loops, once a view is drawn again and again.

Until the loops of a program are compiled, in another process, and what stays of the view is worked out, on a worker,
pictures are drawn as anywhere else.
"""

from collections import OrderedDict
from contextlib import suppress
from threading import Thread

from PyQt6.QtCore import QObject, pyqtSignal

from even_palette.app.jobs import Jobs, Rank
from even_palette.app.stand.renderer import Renderer
from even_palette.core.arrays import Levels
from even_palette.core.graph.compiling import compile_apart
from even_palette.core.graph.program import Program
from even_palette.core.jobs import Cancelled, CancelToken
from even_palette.core.results.looks import Picture, View
from even_palette.core.results.loop_view import (
    MOST_KEPT_BYTES,
    LoopView,
    bytes_kept,
    keep_view,
    loops_of,
    program_to_draw,
)

DRAWN_AGAIN = 4
"""So often a view is drawn before it is worth keeping what stays of it."""
WORTH_COMPILING = 12
MOST_VIEWS, MOST_REMEMBERED = 2, 32

Key = tuple[Program, View, tuple[tuple[str, str], ...]]


class QuickDrawing(QObject):
    """Draws pictures by loops where that is quicker and all is there for it; gives None otherwise."""

    _compiled = pyqtSignal(object, bool)

    def __init__(self, jobs: Jobs, renderer: Renderer, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.jobs, self.renderer = jobs, renderer
        self.views: OrderedDict[Key, LoopView] = OrderedDict()
        self._drawn: OrderedDict[Key, int] = OrderedDict()
        self._ready: set[tuple[str, ...]] = set()
        self._compiling: CancelToken | None = None
        self._keeping: Key | None = None
        self._compiled.connect(self._receive)

    def draw(self, shown: Picture, view: View) -> Levels | None:
        """(height, width, 4) uint8, encoded, alpha 0 off the sheet; None if it is to be drawn otherwise."""
        program = program_to_draw(shown)
        if program is None or not self.renderer.in_software:
            return None
        key = program, view, tuple((name, shown.slots[name].content_id) for name in program.slots)
        if key in self.views:
            self.views.move_to_end(key)
            return self.views[key].draw(shown)
        self._drawn[key] = self._drawn.pop(key, 0) + 1
        while len(self._drawn) > MOST_REMEMBERED:
            self._drawn.popitem(last=False)
        if self._drawn[key] >= DRAWN_AGAIN:
            self._prepare(key, shown)
        return None

    def _prepare(self, key: Key, shown: Picture) -> None:
        program, view, _ = key
        if self._keeping == key or bytes_kept(shown, program, view) > MOST_KEPT_BYTES:
            return
        loops = loops_of(shown, program, view)
        texts = tuple(text for text, _ in loops)
        if texts in self._ready:
            self._keep(key, shown)
        elif self._compiling is None and self._drawn[key] >= WORTH_COMPILING:
            token = self._compiling = CancelToken()

            def work() -> None:
                with suppress(Cancelled, RuntimeError):  # the window closed meanwhile
                    self._compiled.emit(texts, compile_apart(loops, token))

            Thread(target=work, name="compile loops", daemon=True).start()

    def _receive(self, texts: tuple[str, ...], done: bool) -> None:
        """Where the process failed, nothing is tried again."""
        if done:
            self._compiling = None
            self._ready.add(texts)

    def _keep(self, key: Key, shown: Picture) -> None:
        self._keeping = key
        program, view, _ = key

        def work(progress: object, cancel: CancelToken) -> LoopView:
            kept = keep_view(shown, program, view, cancel)
            kept.draw(shown)  # so that its loop is loaded here
            return kept

        def done(kept: LoopView) -> None:
            self.views[key] = kept
            while len(self.views) > MOST_VIEWS:
                self.views.popitem(last=False)

        def ended() -> None:
            self._keeping = None

        self.jobs.run("Keep view", work, done, lambda _: None, ended, Rank.VIEW, "quick drawing")

    def close(self) -> None:
        """End the process that compiles, and forget what is kept."""
        if self._compiling is not None:
            self._compiling.cancel()
        self.views.clear()
