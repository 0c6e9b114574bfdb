"""One renderer for all views: OpenGL where it is there, else the NumPy reference at view size."""

from collections.abc import Callable, Iterator, Sequence
from typing import TYPE_CHECKING, Any

import numpy as np
from PyQt6 import sip
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QImage

from even_palette.app.jobs import one_shot
from even_palette.core.arrays import Levels, Samples
from even_palette.core.errors import UserError
from even_palette.core.graph.program import program_of
from even_palette.core.graph.slots import MOST_UNITS, Slot
from even_palette.core.jobs import CancelToken
from even_palette.core.kit.model import Focus
from even_palette.core.mesh.view import Orbit, Vector
from even_palette.core.results.pictures import SHOWN, Drawing, Picture, View, on_sheet, render_reference
from even_palette.core.results.store import Store

if TYPE_CHECKING:
    from even_palette.core.results.crowd import Crowd
    from even_palette.gl.crowd_view import CrowdRenderer
    from even_palette.gl.model_view import Light, ModelRenderer, Skin
    from even_palette.gl.sheet_view import SheetRenderer


UPLOAD_S, POLL_MS = 0.02, 4
"""So long textures are uploaded at a time, and after so long the driver is asked whether it is done."""


class Renderer(QObject):
    """Draws pictures. OpenGL is started with the first one, so that the window is there before it.

    `troubled` tells in one line why OpenGL is not used, or not for a material that it has no room for.
    """

    troubled = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self._draw: Callable[[Picture, View, bool], Levels] | None = None
        self._sheets: SheetRenderer | None = None
        self._models: ModelRenderer | None = None
        self._crowds: CrowdRenderer | None = None
        self._taken: dict[str, Slot] = {}
        self._told: set[int] = set()
        self._take = one_shot(self, 0, self._take_more)

    def is_slow(self, shown: Picture) -> bool:
        """Whether this is drawn by the processor, or not at all."""
        return self.in_software or not self._has_room(shown)

    @property
    def in_software(self) -> bool:
        """Whether pictures are drawn by the processor."""
        return self._draw is not None and (self._sheets is None or self._sheets.in_software)

    def render(self, shown: Picture, view: View, filtered: bool = True) -> Levels:
        """(height, width, 4) uint8, encoded, alpha 0 off the sheet."""
        self._taken.clear()
        draw = self.start()
        return (draw if self._has_room(shown) else by_reference)(shown, view, filtered)

    def begin(self, shown: Picture, view: View, filtered: bool) -> Drawing | Levels | None:
        """The same as a drawing under way, or drawn already without OpenGL; None where there is no room for it."""
        self._taken.clear()
        self.start()
        if not self._has_room(shown):
            return None
        if self._sheets is None:
            return by_reference(shown, view, filtered)
        return self._sheets.begin(shown, view, filtered)

    def _has_room(self, shown: Picture) -> bool:
        """Whether there is a texture unit for each plane of a picture; tells once where there is not.

        Where textures lie in the memory of the machine, they must fit there too: others would be thrown out for them,
        at each drawing.
        """
        if self.in_software and self._sheets is not None and not self._sheets.textures.fits(shown.slots.values()):
            return False
        count = len(program_of({SHOWN: shown.outputs[SHOWN]}).slots)
        most = self._sheets.units if shown.compares and self._sheets is not None else MOST_UNITS
        if count > most and count not in self._told:
            self._told.add(count)
            text = f"The material samples {count} planes; there is room for {most}."
            self.troubled.emit(f"{text} Grey planes may be channels of one map.")
        return count <= most

    def ready(self, purpose: str, pictures: Sequence[Picture]) -> bool:
        """Whether all that these pictures of sheets sample is there for drawing; a part of what is missing is uploaded.

        What is shown for one purpose stays there until something else is.
        """
        self.start()
        slots = [slot for shown in pictures if self._has_room(shown) for slot in shown.slots.values()]
        return self._ready(purpose, slots)

    def model_ready(self, purpose: str, skins: "Sequence[Skin]", lit: bool) -> bool:
        """The same for meshes in their looks."""
        self.start()
        slots = [slot for skin in skins for slot in skin.picture.slots.values()]
        slots += [slot for skin in skins if lit for slot in skin.relief if slot is not None]
        return self._ready(purpose, slots)

    def _ready(self, purpose: str, slots: Sequence[Slot]) -> bool:
        wanted = {slot.content_id: slot for slot in slots}
        return self._sheets is None or self._sheets.textures.ready(list(wanted.values()), UPLOAD_S, purpose)

    def forget(self, purpose: str) -> None:
        """What was there for a purpose need not stay any more."""
        self._ready(purpose, [])

    def take(self, slot: Slot) -> None:
        """Upload what will be drawn soon, little by little, while there is nothing to draw yet."""
        self._taken[slot.content_id] = slot
        self._take.start()

    def _take_more(self) -> None:
        self.start()
        if self._sheets is None or (self.in_software and not self._sheets.textures.fits(self._taken.values())):
            return
        if not self._sheets.textures.ready(list(self._taken.values()), UPLOAD_S, "sheet"):
            self._take.start()

    def render_model(
        self,
        skins: "Sequence[Skin]",
        orbit: Orbit,
        width: int,
        height: int,
        lit: bool,
        towards: Vector,
        filtered: bool = True,
        smooth: bool = True,
    ) -> Drawing:
        """Meshes in their looks, alpha 0 beside them, as a drawing under way. Raises UserError without OpenGL."""
        from even_palette.gl.model_view import Light

        self._taken.clear()
        return self._model_renderer().render(skins, orbit, width, height, Light(lit, towards, smooth), filtered)

    def crowd_ready(self, purpose: str, crowds: "Sequence[Crowd]", lit: bool) -> bool:
        """The same for crowds."""
        self.start()
        parts = [part for crowd in crowds for part in crowd.parts]
        slots = [slot for part in parts for slot in part.picture.slots.values()]
        slots += [slot for part in parts if lit for slot in part.relief if slot is not None]
        return self._ready(purpose, slots)

    def render_crowd(
        self, crowds: "Sequence[Crowd]", orbit: Orbit, width: int, height: int, light: "Light", time: float
    ) -> Drawing:
        """Crowds of instances, alpha 0 beside them, as a drawing under way. Raises UserError without OpenGL."""
        self._taken.clear()
        return self._crowd_renderer().render(crowds, orbit, width, height, light, time)

    def crowd_instances(self, crowds: "Sequence[Crowd]", orbit: Orbit, width: int, height: int) -> Samples:
        """The instance that each pixel shows, crowds counting on; -1 for none. Raises UserError without OpenGL."""
        return self._crowd_renderer().instances(crowds, orbit, width, height)

    def crowds_beside(self) -> "CrowdRenderer":
        """A renderer of crowds that draws while views do. Raises UserError without OpenGL."""
        return self._crowd_renderer().beside()

    def variant_pictures(
        self, at: Focus, store: Store, lit: bool, width: int, height: int
    ) -> Iterator[tuple[str, Levels]]:
        """A picture of the sheet's meshes in each variant, one by one. Raises UserError without OpenGL."""
        from even_palette.gl.model_view import Light
        from even_palette.gl.reviews import variant_pictures

        crowds, variants = self._crowd_renderer(), list(at.kit.variant_names)
        assert self._sheets is not None
        light = Light(lit)
        return variant_pictures(self._sheets, crowds, at.kit, store, at.key, variants, width, height, light)

    def _crowd_renderer(self) -> "CrowdRenderer":
        if self._crowds is None:
            from even_palette.gl.context import offscreen_context
            from even_palette.gl.crowd_view import CrowdRenderer

            self.start()
            context = offscreen_context()
            assert self._sheets is not None
            self._crowds = CrowdRenderer(context, self._sheets.textures, self.in_software)
        return self._crowds

    def model_faces(self, skins: "Sequence[Skin]", orbit: Orbit, width: int, height: int) -> Samples:
        """The face that each pixel shows, (height, width) int32, -1 for none. Raises UserError without OpenGL."""
        return self._model_renderer().faces(skins, orbit, width, height)

    def model_trouble(self) -> str:
        """Why models cannot be drawn; "" if they can."""
        try:
            self._model_renderer()
        except UserError as error:
            return str(error)
        return ""

    def _model_renderer(self) -> "ModelRenderer":
        if self._models is None:
            from even_palette.gl.context import offscreen_context
            from even_palette.gl.model_view import ModelRenderer

            self.start()
            context = offscreen_context()
            assert self._sheets is not None
            self._models = ModelRenderer(context, self._sheets.textures)
        return self._models

    def close(self) -> None:
        """Free what the driver holds; it keeps that otherwise, however long nobody draws."""
        if self._models is not None:
            self._models.release()
            self._models = None
        if self._crowds is not None:
            self._crowds.release()
            self._crowds = None
        if self._sheets is not None:
            self._sheets.textures.begin()
            self._sheets.release()
            self._sheets = self._draw = None

    def start(self) -> Callable[[Picture, View, bool], Levels]:
        """What draws sheets. OpenGL is started by the first who asks; the driver may take half a second."""
        if self._draw is None:
            try:
                from even_palette.gl.sheet_view import SheetRenderer

                self._sheets = SheetRenderer()
                self._draw = self._sheets.render
            except UserError as error:
                self._draw = by_reference
                self.troubled.emit(str(error))
        return self._draw


def by_reference(shown: Picture, view: View, filtered: bool, cancel: CancelToken | None = None) -> Levels:
    """(height, width, 4) uint8, encoded, alpha 0 off the sheet. Slow for large views. Raises Cancelled."""
    alpha = np.where(on_sheet(view.uv()), 255, 0).astype(np.uint8)
    return np.concatenate([render_reference(shown, view, filtered, cancel), alpha[..., None]], axis=-1)


class Image(QImage):
    """An image of (h, w, 3 or 4) uint8 that looks into them, so that nothing is copied; it keeps them there."""

    def __init__(self, pixels: Levels) -> None:
        height, width, channels = pixels.shape
        kind = QImage.Format.Format_RGBA8888 if channels == 4 else QImage.Format.Format_RGB888
        self._pixels = np.ascontiguousarray(pixels)
        data: Any = sip.voidptr(self._pixels.ctypes.data)  # what stubs do not know: a pointer needs no copy in between
        super().__init__(data, width, height, width * channels, kind)


def to_image(pixels: Levels) -> QImage:
    """A QImage of (h, w, 3 or 4) uint8 that owns its memory."""
    return Image(pixels).copy()
