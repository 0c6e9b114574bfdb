"""Pictures for reviews from the window: all variants on one sheet, written as PNG."""

from collections.abc import Callable, Iterator
from pathlib import Path

from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtWidgets import QFileDialog

from even_palette.app.session import Session
from even_palette.app.stand.renderer import Renderer
from even_palette.core.arrays import Levels
from even_palette.core.disk.gate import refuse_sources
from even_palette.core.errors import NotReady, UserError
from even_palette.core.jobs import CancelToken, Progress

WIDTH, HEIGHT = 640, 480


class ReviewPictures(QObject):
    """Draws one picture at a time, so that the window answers meanwhile; writing is a worker's."""

    def __init__(self, session: Session, renderer: Renderer, parent: QObject) -> None:
        super().__init__(parent)
        self.session, self.renderer = session, renderer
        self._steps: Iterator[tuple[str, Levels]] | None = None
        self._made: list[tuple[str, Levels]] = []
        self._path = Path()
        self._begin: Callable[[], Iterator[tuple[str, Levels]]] = lambda: iter(())
        self._lacks = False
        session.made.connect(self._follow_made)
        self._timer = QTimer(self)
        self._timer.setInterval(0)
        self._timer.timeout.connect(self._step)

    @property
    def busy(self) -> bool:
        """Whether pictures are being drawn."""
        return self._steps is not None

    def ask(self, lit: bool) -> None:
        """Ask where to, and write all variants of the sheet in front."""
        name, _ = QFileDialog.getSaveFileName(None, "Write pictures of variants", "variants.png", "Pictures (*.png)")
        if name:
            self.write(Path(name), lit)

    def write(self, path: Path, lit: bool, width: int = WIDTH, height: int = HEIGHT) -> None:
        """Write all variants of the sheet in front beside each other, each so large."""
        at = self.session.shown
        if at is None or self.busy:
            return
        path = path if path.suffix else path.with_suffix(".png")
        try:
            refuse_sources(path, [Path(file.path) for file in at.kit.files])
            sheets = self.session.sheets
            self._begin = lambda: self.renderer.variant_pictures(at, sheets, lit, width, height)
            self._steps = self._begin()
        except UserError as error:
            self.session.notice.emit(str(error))
            return
        self._made, self._path = [], path
        self._timer.start()

    def _step(self) -> None:
        assert self._steps is not None
        try:
            made = next(self._steps, None)
        except NotReady as missing:
            self._timer.stop()
            self._lacks = True
            if told := self.session.results.make(missing):
                self._end(told)
            return
        except UserError as error:
            self._end(str(error))
            return
        if made is not None:
            self._made.append(made)
            return
        pictures, path = self._made, self._path
        self._end("")

        def work(progress: Progress, cancel: CancelToken) -> None:
            from even_palette.core.raster.files import write_plane
            from even_palette.core.raster.picture_sheet import picture_sheet
            from even_palette.core.raster.plane import Encoding, Plane

            write_plane(path, Plane(picture_sheet(pictures), Encoding.SRGB))

        self.session.jobs.run("Write pictures", work, lambda _: self.session.notice.emit(f"Wrote {path.name}."),
                              self.session.notice.emit)  # fmt: skip

    def _follow_made(self) -> None:
        """Something was made: what lacked, or a part of it; those that are drawn already are drawn again."""
        if self._lacks:
            self._lacks = False
            self._steps, self._made = self._begin(), []
            self._timer.start()

    def _end(self, told: str) -> None:
        self._timer.stop()
        self._steps, self._made, self._lacks = None, [], False
        if told:
            self.session.notice.emit(told)
