"""Small pictures of variants: of the model where there is one, else of the sheet; made one at a time at rest."""

from contextlib import suppress
from dataclasses import replace
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QRect, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QPainter

from even_palette.app.jobs import one_shot
from even_palette.app.session import Session
from even_palette.app.stand.camera import Camera
from even_palette.app.stand.renderer import POLL_MS, Renderer, to_image
from even_palette.app.stand.skins import model_points, skins_of
from even_palette.app.stand.stand import Stand
from even_palette.app.stand.time_and_seed import at_moment
from even_palette.app.theme import grey, tokens
from even_palette.core.errors import NotReady, UserError
from even_palette.core.kit.model import Focus
from even_palette.core.mesh.view import Orbit
from even_palette.core.results.base_colour import base_colour_of
from even_palette.core.results.behind import over
from even_palette.core.results.looks import Look, picture
from even_palette.core.results.pictures import Drawing
from even_palette.core.results.sheet_mesh import mesh_on_sheet
from even_palette.core.results.small_pictures import small_picture_of, small_slot_of

if TYPE_CHECKING:
    from even_palette.gl.model_view import Skin

REST_MS = 120
MOST_SIDE = 1024
"""Texels a side of the planes that they are drawn of; they have a tenth of that in pixels."""
LIGHT = (0.35, 0.72, 0.60)


class Thumbnails(QObject):
    """Pictures by variant and size. A stale one is shown until its successor is made; `made` tells of each."""

    made = pyqtSignal()

    def __init__(self, session: Session, renderer: Renderer, stand: Stand) -> None:
        super().__init__(session)
        self.session, self.renderer, self.stand = session, renderer, stand
        self._kept: dict[tuple[str, int, int], QImage] = {}
        self._stale: dict[tuple[str, int, int], None] = {}
        self._flying: tuple[tuple[str, int, int], Drawing] | None = None
        self._next = one_shot(self, REST_MS, self._make_one)
        session.shown_changed.connect(self.forget)
        session.made.connect(self._go_on)
        session.moment.changed.connect(self._follow_moment)
        session.moment.started.connect(lambda _: self._follow_moment())

    def of(self, variant: str, width: int, height: int) -> QImage | None:
        """The picture of a variant, if there is one yet; in pixels of the screen."""
        key = (variant, width, height)
        if key not in self._kept:
            self._stale[key] = None
            if not self._next.isActive():
                self._next.start(0)
        return self._kept.get(key)

    def paint(self, painter: QPainter, variant: str, box: QRect, text: QRect) -> None:
        """Draw the picture of a variant into a box and its name into another; the selected one stands out."""
        t, chosen = tokens(), variant == self.session.variant
        device = painter.device()
        ratio = device.devicePixelRatioF() if device is not None else 1.0
        painter.fillRect(box, grey(t.stand))
        image = self.of(variant, round(box.width() * ratio), round(box.height() * ratio))
        if image is not None:
            painter.drawImage(box, image)
        if chosen:
            painter.fillRect(text, grey(t.chosen))
        painter.setPen(grey(t.chosen_text if chosen else t.text))
        name, room = self.session.kit.variant_names[variant], text.width() - 8
        told = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, room)
        painter.drawText(text, Qt.AlignmentFlag.AlignCenter, told)

    def forget(self) -> None:
        """All pictures are stale; they are made anew once the hand rests."""
        self._stale = dict.fromkeys((*self._kept, *self._stale))
        if self._flying is not None:
            key, flying = self._flying
            self._stale[key], self._flying = None, None
            flying.drop()
        self._next.start(REST_MS)

    def _follow_moment(self) -> None:
        """Pictures show the time and the instance that are chosen; while time goes on they rest."""
        if not self.session.moment.goes_on:
            self.forget()

    def close(self) -> None:
        """Draw no more."""
        self._next.stop()
        self._stale.clear()
        self._flying = None

    @property
    def settled(self) -> bool:
        """Whether no picture is stale, or there is nothing to draw them of."""
        return self._flying is None and (not self._stale or self.session.shown is None)

    def _make_one(self) -> None:
        at = self.session.shown
        if self._flying is not None and not self._take_drawn():
            self._next.start(POLL_MS)
            return
        if at is None or not self._stale:
            return
        if self.stand.pending:
            self._next.start(REST_MS)
            return
        key = next(iter(self._stale))
        variant, width, height = key
        del self._stale[key]
        if variant not in at.kit.variant_names:
            self._kept.pop(key, None)
        else:
            try:
                drawn = self._draw(at, variant, width, height)
            except NotReady as missing:
                if not self.session.results.make(missing):
                    self._stale[key] = None
                    return  # goes on once it is made
            except UserError:
                pass
            else:
                if drawn is None:
                    self._stale = {key: None, **self._stale}
                elif isinstance(drawn, QImage):
                    self._keep(key, drawn)
                else:
                    self._flying = key, drawn
        if self._stale or self._flying is not None:
            self._next.start(0)

    def _take_drawn(self) -> bool:
        """Take what was being drawn, unless it is not done."""
        assert self._flying is not None
        key, flying = self._flying
        if not flying.done():
            return False
        self._flying = None
        self._keep(key, to_image(flying.pixels))
        return True

    def _keep(self, key: tuple[str, int, int], image: QImage) -> None:
        self._kept[key] = image
        self.made.emit()

    def _go_on(self) -> None:
        if self._stale and not self._next.isActive():
            self._next.start(0)

    def _draw(self, at: Focus, variant: str, width: int, height: int) -> QImage | Drawing | None:
        """None where planes are still being uploaded. Raises NotReady, or UserError if nothing can be drawn."""
        look, sheets = Look(variant=variant), self.session.sheets
        if mesh_on_sheet(at, sheets) is not None and not self.renderer.model_trouble():
            skins = [self._small(skin) for skin in skins_of(self.session, at, look)]
            if not self.renderer.model_ready("small", skins, lit=True):
                return None
            orbit = Orbit().framed(model_points(skins), width / height)
            with suppress(UserError):  # the material has more planes than there is room for; the sheet is drawn
                return self.renderer.render_model(skins, orbit, width, height, True, LIGHT)
        if not at.sheet.sources:
            raise UserError("There is nothing on this sheet.")
        base = base_colour_of(at, sheets)
        zoom = min(width / base.width, height / base.height)
        view = Camera((base.width, base.height), zoom=zoom).view(width, height)
        shown = at_moment(at, look, picture(at, sheets, look), self.session.view.state)
        return to_image(self.renderer.render(small_picture_of(over(shown), sheets, MOST_SIDE), view))

    def _small(self, skin: "Skin") -> "Skin":
        """A skin of planes no larger than a small picture can show."""
        sheets = self.session.sheets
        relief = tuple(slot and small_slot_of(slot, sheets, MOST_SIDE) for slot in skin.relief)
        return replace(skin, picture=small_picture_of(skin.picture, sheets, MOST_SIDE), relief=relief)  # type: ignore[arg-type]
