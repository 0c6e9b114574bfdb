"""Pictures of a scene from the window: one, many over time, or an animation. Drawn beside what is seen, written by a
worker.
"""

from collections.abc import Callable, Iterator
from pathlib import Path
from queue import Empty, Queue
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer

from even_palette.app.session import Session
from even_palette.app.stand.renderer import Renderer
from even_palette.core.arrays import Levels
from even_palette.core.errors import NotReady, UserError
from even_palette.core.jobs import CancelToken, Progress
from even_palette.core.kit.scene import Scene
from even_palette.core.raster.picture_sheet import over_ground
from even_palette.core.results.pictures import Drawing

if TYPE_CHECKING:
    from even_palette.gl.crowd_view import CrowdRenderer
    from even_palette.gl.reviews import Shots

AHEAD = 4
"""So many pictures wait for the writer at the most."""
LOOK_S = 0.05


class SceneShots(QObject):
    """Draws on the window's thread a moment at a time, so that it answers; the job that writes can be cancelled."""

    def __init__(self, session: Session, renderer: Renderer, parent: QObject) -> None:
        super().__init__(parent)
        self.session, self.renderer = session, renderer
        self._timer = QTimer(self)
        self._timer.setInterval(0)
        self._timer.timeout.connect(self._step)
        self._drawings: Iterator[Drawing] | None = None
        self._drawing: Drawing | None = None
        self._drawn: Queue[Levels] = Queue(AHEAD)
        self._token = CancelToken()
        self._crowds: CrowdRenderer | None = None
        self._begin: Callable[[], Iterator[Drawing]] = lambda: iter(())
        self._lacks = False
        session.made.connect(self._follow_made)

    @property
    def busy(self) -> bool:
        """Whether pictures are being drawn or written."""
        return self._crowds is not None

    def write(self, path: Path, scene: Scene, shots: "Shots", begin: float) -> None:
        """Write pictures of a scene from a time in seconds on."""
        from even_palette.gl.reviews import paths_of, scene_drawings, write_shots

        at, session = self.session.shown, self.session
        if at is None or self.busy:
            session.notice.emit("Pictures are still being written.")
            return
        try:
            paths = paths_of(at.whole, path, shots)
            self._crowds = self.renderer.crowds_beside()
        except UserError as error:
            session.notice.emit(str(error))
            return
        crowds = self._crowds
        self._begin = lambda: scene_drawings(crowds, at.whole, session.sheets, scene, shots, begin)
        self._drawings = self._begin()
        drawn = self._drawn = Queue(AHEAD)
        count = shots.count

        def work(progress: Progress, cancel: CancelToken) -> int:
            def frames() -> Iterator[Levels]:
                for number in range(count):
                    progress(number / count, f"Picture {number + 1} of {count}")
                    yield _taken(drawn, cancel)

            write_shots(paths, frames(), shots.rate)
            return count

        def done(_: int) -> None:
            many = f" and {len(paths) - 1} more" if len(paths) > 1 else ""
            session.notice.emit(f"Wrote {paths[0].name}{many}.")

        self._token = session.jobs.run("Write pictures", work, done, session.notice.emit, self._end)
        self._timer.start()

    def _step(self) -> None:
        if self._token.cancelled:
            self._stop()
        if self._drawings is None or self._drawn.full():
            return
        try:
            if self._drawing is None:
                self._drawing = next(self._drawings, None)
                if self._drawing is None:
                    self._stop()
                return
            if not self._drawing.done():
                return
            pixels = self._drawing.pixels
        except NotReady as missing:
            self._timer.stop()
            self._lacks = True
            if told := self.session.results.make(missing):
                self._fail(told)
            return
        except UserError as error:
            self._fail(str(error))
            return
        self._drawing = None
        self._drawn.put(over_ground(pixels))

    def _follow_made(self) -> None:
        """Something was made that the first picture lacked: all later ones need the same."""
        if self._lacks and not self._token.cancelled:
            self._lacks, self._drawings = False, self._begin()
            self._timer.start()

    def _fail(self, told: str) -> None:
        self.session.notice.emit(told)
        self._token.cancel()
        self._stop()

    def _stop(self) -> None:
        self._timer.stop()
        if self._drawing is not None:
            self._drawing.drop()
        self._drawings = self._drawing = None
        self._lacks = False

    def _end(self) -> None:
        self._stop()
        if self._crowds is not None:
            self._crowds.leave()
            self._crowds = None


def _taken(drawn: "Queue[Levels]", cancel: CancelToken) -> Levels:
    while True:
        cancel.check()
        try:
            return drawn.get(timeout=LOOK_S)
        except Empty:
            continue
