"""What the mouse means on the stand: what is under the cursor, choosing elements, picking regions and colours."""

from collections.abc import Sequence

from PyQt6.QtCore import QObject

from even_palette.app.choosing import Choice
from even_palette.app.notice import Notice
from even_palette.app.readout import Readout
from even_palette.app.session import Session
from even_palette.app.stage import Click, Stage
from even_palette.app.stand.stand import Stand
from even_palette.app.swatch.editor import SwatchEditor
from even_palette.app.tray.tray import Tray
from even_palette.app.view_state import Panes
from even_palette.core.colour.hexcode import encoded_to_hex
from even_palette.core.kit.commands import Command
from even_palette.core.kit.model import Focus
from even_palette.core.kit.sheet import Box
from even_palette.core.results.sheet_mesh import regions_of_faces


class Pointing(QObject):
    """Hears where the stand is pointed at, and does what that means in the stage that is entered."""

    def __init__(
        self, session: Session, stand: Stand, tray: Tray, choice: Choice, readout: Readout, notice: Notice,
        stages: Sequence[Stage],
    ) -> None:  # fmt: skip
        super().__init__(stand)
        self._stages = stages
        self.session, self.stand, self.tray, self.choice = session, stand, tray, choice
        self.readout, self.notice = readout, notice
        self._swatch: SwatchEditor | None = None
        self._line: list[tuple[float, float]] | None = None
        tray.pick_wanted.connect(self._start_picking)
        stand.eyedropped.connect(self._eyedropped)
        stand.picked.connect(self._pick_region)
        stand.face_picked.connect(self._pick_face)
        stand.hovered.connect(self._show_cursor)
        choice.hover_changed.connect(self._show_hovered)
        stand.elements.box_drawn.connect(lambda *ends: self._stage.boxed(tray.current, Box(*ends)))
        tray.tool_changed.connect(self.follow_stage)
        tray.box_wanted.connect(self._draw_box)

    def _show_cursor(self, uv: tuple[float, float] | None) -> None:
        at = self.session.shown
        texel = self.stand.texel_at(*uv) if uv is not None else None
        if at is None or uv is None or texel is None:
            self.readout.under_cursor.setText("")
            return
        width, height = self.stand.canvas.camera.sheet
        weights = [
            f"{region.name} {weight:.2f}"
            for region, weight in zip(at.sheet.regions, texel.weights, strict=True)
            if weight > 0
        ]
        rest = 1 - sum(texel.weights)
        told = " · ".join([*weights, *([f"base {rest:.2f}"] if rest > 1e-4 else [])])
        entry = self._entry_at(*uv)
        told = f"entry {entry}   {told}" if entry is not None else told
        self.readout.under_cursor.setText(
            f"{int(uv[0] * width)}, {int(uv[1] * height)}   {encoded_to_hex(texel.encoded)}   {told}"
        )

    @property
    def _stage(self) -> Stage:
        """The stage that is entered."""
        return self._stages[self.session.view.state.stage]

    def follow_stage(self) -> None:
        """Let clicks choose elements where the stage says so."""
        self._line = None
        choosing = self._stage.chooses(self.tray.current)
        self.stand.elements.set_choosing(choosing, self.session.view.state.tool)

    def _draw_box(self) -> None:
        if self.stand.panes == Panes.MODEL:
            self.stand.set_panes(Panes.BOTH)
        self.stand.elements.draw_box()

    def _show_hovered(self) -> None:
        """Tell the element under the cursor of the model, and its region."""
        at, element = self.session.shown, self.choice.hovered
        if at is None or element < 0 or not self.stand.model.canvas.underMouse():
            return
        parts = self.choice.elements()
        if parts is None:
            return
        first = int((parts.labels == element).argmax())
        number = int(regions_of_faces(at, self.session.sheets)[first])
        region = at.sheet.regions[number].name if number >= 0 else "no region"
        self.readout.under_cursor.setText(
            f"{parts.name(element)} · {parts.face_counts[element]} faces · {parts.area_shares[element]:.2%} · {region}"
        )

    def _pick_face(self, face: int, add: bool) -> None:
        """A click on the model chooses an element, or it selects the face's region."""
        at = self.session.shown
        if at is None:
            return
        if self.stand.elements.choosing:
            self.choice.click(face, add)
            return
        if region := self.region_of_face(face):
            self.session.select(region)

    def region_of_face(self, face: int) -> str:
        """The key of the region that has a face of the model, or ""."""
        at = self.session.shown
        if at is None or face < 0:
            return ""
        labels = regions_of_faces(at, self.session.sheets)
        return at.sheet.regions[int(labels[face])].key if face < len(labels) and labels[face] >= 0 else ""

    def region_at(self, u: float, v: float) -> str:
        """The key of the region that has more than half of the texel at a uv, or ""."""
        at, texel = self.session.shown, self.stand.texel_at(u, v)
        if at is None or texel is None or not texel.weights or max(texel.weights) <= 0.5:
            return ""
        return at.sheet.regions[texel.weights.index(max(texel.weights))].key

    def _pick_region(self, u: float, v: float, add: bool) -> None:
        """A click on the sheet chooses an element, means what the stage says, or selects a region."""
        at = self.session.shown
        if at is None:
            return
        if self.stand.elements.choosing:
            self.choice.click(self.stand.elements.face_at(u, v), add)
            return
        if self._line is not None:
            self._end_line(at, u, v)
            return
        if self._stage.clicked(Click(self.session, self.tray.current, at, u, v, self._entry_at(u, v))):
            return
        if region := self.region_at(u, v):
            self.session.select(region)

    def _entry_at(self, u: float, v: float) -> int | None:
        """The number of the palette's entry at a uv, where an index map is looked at."""
        texel = self.stand.texel_at(u, v)
        return texel.entry[0] if texel and texel.entry else None

    def draw_line(self) -> None:
        """Let the next two clicks on the sheet be the ends of a line, along which a ramp takes its colours."""
        self._line = []
        self.stand.canvas.set_picking(True)
        self.notice.tell("Click where the ramp begins on the sheet, then where it ends.")

    def _end_line(self, at: Focus, u: float, v: float) -> None:
        assert self._line is not None
        self._line.append((u, v))
        if len(self._line) < 2:
            return
        (start, end), self._line = self._line, None
        self.stand.canvas.set_picking(False)
        self.notice.hide()

        def make() -> Command:
            from even_palette.core.results.picture_analysis import ramp_of_line

            return ramp_of_line(at, self.session.sheets, start, end)

        self.session.do_made("Reading the paint", make)

    def _start_picking(self, swatch: SwatchEditor) -> None:
        self._swatch = swatch
        self.stand.start_picking()
        self.notice.tell("Click a texel on the stand to take its colour.")

    def _eyedropped(self, colour: tuple[float, float, float]) -> None:
        if self._swatch is not None:
            self._swatch.take_from_stand(colour)
            self._swatch = None
            self.notice.hide()
