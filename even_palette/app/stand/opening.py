"""What a kit shows first is kept from when it was open last, and seen until the views are ready."""

import hashlib
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QObject, QTimer

from even_palette.app.jobs import Rank, one_shot
from even_palette.app.session import Session
from even_palette.app.stand.camera import Camera
from even_palette.app.stand.renderer import Renderer, to_image
from even_palette.app.stand.stand import Stand
from even_palette.app.view_state import Panes
from even_palette.core.arrays import Levels
from even_palette.core.errors import NotReady, UserError
from even_palette.core.jobs import CancelToken, Progress
from even_palette.core.kit.model import Kit
from even_palette.core.kit.store import encode_kit
from even_palette.core.raster.guess import Role
from even_palette.core.results.base_colour import base_colour_of
from even_palette.core.results.looks import Look, picture

REST_MS = 1500


class Opening(QObject):
    """Keeps what the stand shows when a kit is opened, its result or its paint, and shows it the next time.

    Pictures lie in the disk cache, named by the kit with the content of its files, and the look. They have the size
    that the stand had when the last kit had been opened; in a stand of another size they are not shown.
    """

    def __init__(self, session: Session, renderer: Renderer, stand: Stand) -> None:
        super().__init__(stand)
        self.session, self.renderer, self.stand = session, renderer, stand
        self._size: tuple[int, int] | None = None
        self._kept: Kit | None = None
        self._rest = one_shot(self, REST_MS, self.keep)
        session.document.replaced.connect(self._look_up)
        session.title_changed.connect(self._rest.start)
        session.shown_changed.connect(self._follow)

    def _look_up(self) -> None:
        kit, disk, self._size = self.session.kit, self.session.sheets.cache.disk, None
        look = _first_look(kit)
        if look is None:
            return

        def work(progress: Progress, cancel: CancelToken) -> Levels | None:
            return disk.find(np.ndarray, _name(kit, look))

        def done(pixels: Levels | None) -> None:
            if pixels is None or self.session.kit is not kit or pixels.shape[1::-1] != self._present_size():
                return
            self._kept = kit
            if self._is_looked_at(look):
                self.stand.canvas.show_before(to_image(pixels))

        def ended() -> None:
            QTimer.singleShot(0, self.renderer.start)  # while the views are made ready, as it may take half a second

        self.session.jobs.run("View", work, done, self.session.notice.emit, ended, Rank.VIEW, "opening")

    def _is_looked_at(self, look: Look) -> bool:
        state = self.session.view.state
        plain = state.look == look and not (state.wipe or state.spread or state.time or state.seed)
        return plain and state.panes != Panes.MODEL and self.stand.canvas.filtered

    def _follow(self) -> None:
        if self.session.shown is not None and self._size is None:
            self._size = self._present_size()
        self._rest.start()

    def keep(self) -> None:
        """Draw what will be seen first when the saved kit is opened again, and let a worker write it."""
        session, look, size = self.session, _first_look(self.session.kit), self._size
        shown, kit, sheets = session.shown, session.kit, session.sheets
        if shown is None or shown.kit is not kit or session.modified or self.stand.pending:
            return
        if look is None or size is None or self._kept is kit:
            return
        try:
            drawn, base = picture(kit.at(), sheets, look), base_colour_of(kit.at(), sheets)
        except (NotReady, UserError):
            return  # such as where another sheet was in front all the time
        if not self.renderer.has_room(drawn):
            return
        if not self.renderer.ready([drawn]):
            self._rest.start()
            return
        view = Camera((base.width, base.height)).fitted(*size).view(*size)
        pixels, disk = self.renderer.render(drawn, view), sheets.cache.disk
        self._kept = kit

        def work(progress: Progress, cancel: CancelToken) -> None:
            disk.keep(_name(kit, look), pixels)

        session.jobs.run("Keep", work, lambda _: None, session.notice.emit, rank=Rank.CHECK, place="opening")

    @property
    def waits(self) -> bool:
        """Whether the picture is still to be kept, or looked at whether it is."""
        return self._rest.isActive()

    def _present_size(self) -> tuple[int, int]:
        field = self.stand.canvas.field(0)
        return field.width(), field.height()


def _first_look(kit: Kit) -> Look | None:
    """What the window shows of a kit when it opens it; None where that is no picture of a whole sheet."""
    sheet = kit.at().sheet
    if sheet.source(Role.BASE_COLOUR) is None:
        return None
    return Look() if sheet.regions else Look("source")


def _name(kit: Kit, look: Look) -> tuple[object, ...]:
    """Takes as long as writing the kit does; for workers."""
    return "opening", hashlib.sha256(encode_kit(kit, Path("/"))).hexdigest(), look
