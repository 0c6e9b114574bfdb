"""Elements of the mesh on both panes: what is under the cursor, chosen by click or area, and outlined."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QObject, QPointF, pyqtSignal

from even_palette.app.choosing import Choice
from even_palette.app.stand.canvas import Canvas
from even_palette.app.stand.marks import faces_in_view, marks
from even_palette.app.stand.model_canvas import ModelCanvas
from even_palette.app.stand.outlines import area_mask
from even_palette.app.view_state import Tool
from even_palette.core.arrays import Bools, Samples
from even_palette.core.errors import NotReady
from even_palette.core.kit.model import Focus
from even_palette.core.mesh.footprint import Footprint
from even_palette.core.mesh.kinds import ElementKind
from even_palette.core.results.footprints import footprint_of
from even_palette.core.results.id_map import mask_size_of


class ElementLayer(QObject):
    """Lays marks over the sheet and the model, and turns drawn areas into chosen faces."""

    box_drawn = pyqtSignal(float, float, float, float)

    def __init__(self, choice: Choice, sheet: Canvas, model: ModelCanvas) -> None:
        super().__init__(sheet)
        self.choice, self.sheet, self.model = choice, sheet, model
        self.choosing = self.drawing_box = self.islands_shown = False
        sheet.camera_changed.connect(self._mark_sheet)
        sheet.area_drawn.connect(self._take_sheet_area)
        model.face_hovered.connect(choice.hover)
        model.area_drawn.connect(self._take_model_area)
        model.view_changed.connect(self._mark_model)
        choice.changed.connect(self.mark)
        choice.hover_changed.connect(self.mark)
        choice.session.results.elements_found.connect(self.mark)

    def set_choosing(self, choosing: bool, tool: Tool = Tool.CLICK) -> None:
        """Let clicks and drags choose elements of the mesh, or not."""
        self.choosing, self.drawing_box = choosing, False
        for canvas in (self.sheet, self.model):
            canvas.tool = tool if choosing else Tool.CLICK
        self.mark()

    def draw_box(self) -> None:
        """Let the next drag on the sheet draw a rectangle for a region."""
        self.drawing_box = True
        self.sheet.tool = Tool.BOX

    def sheet_faces(self) -> Samples | None:
        """The face under each pixel of the sheet pane's first tile."""
        at = self.choice.session.shown
        if at is None or self.choice.mesh is None:
            return None
        seen = self._footprint(at)
        field = self.sheet.field(0)
        return faces_in_view(seen, self.sheet.camera.view(field.width(), field.height())) if seen else None

    def face_at(self, u: float, v: float) -> int:
        """The face at a uv of the sheet, -1 for none."""
        at = self.choice.session.shown
        if at is None or self.choice.mesh is None:
            return -1
        seen = self._footprint(at)
        if seen is None:
            return -1
        height, width = seen.face.shape
        return int(seen.face[min(int(v * height), height - 1), min(int(u * width), width - 1)])

    def _footprint(self, at: Focus) -> Footprint | None:
        """The footprint of the mesh, once it is there; asking has it made."""
        sheets = self.choice.session.sheets
        try:
            return footprint_of(at, sheets, *mask_size_of(at, sheets))
        except NotReady as missing:
            self.choice.session.results.make(missing)
            return None

    def mark(self) -> None:
        """Show the outlines of what is chosen and hovered in both panes."""
        self._mark_sheet()
        self._mark_model()

    def _mark_sheet(self) -> None:
        there = self.sheet.isVisible() and self.sheet.tiles and self._anything_marked()
        faces = self.sheet_faces() if there else None
        if faces is None:
            self.sheet.show_marks(None, None)
            return
        islands = self._islands() if self.islands_shown else None
        self.sheet.show_marks(*marks(self.choice, faces, self.choosing, islands))

    def _mark_model(self) -> None:
        canvas = self.model
        chosen = self.choosing and self.choice.faces.any()
        if not canvas.isVisible() or not canvas.tiles or not (chosen or self.choice.hovered >= 0):
            canvas.show_marks(None, None)
            return
        canvas.show_marks(*marks(self.choice, canvas.face_ids(), self.choosing))

    def _anything_marked(self) -> bool:
        return self.islands_shown or self.choice.hovered >= 0 or (self.choosing and bool(self.choice.faces.any()))

    def _islands(self) -> Samples | None:
        found = self.choice.session.elements_of(ElementKind.ISLAND)
        return found.labels if found else None

    def show_islands(self, shown: bool) -> None:
        """Lay the outlines of UV islands over the sheet, or take them away."""
        self.islands_shown = shown
        self._mark_sheet()

    def _take_model_area(self, ring: list[QPointF], add: bool) -> None:
        """Choose what is seen inside an area of the model pane, small faces by their middle."""
        canvas, found = self.model, self.choice.mesh
        if found is None or not self.choosing:
            return
        ids = canvas.face_ids()
        inside = area_mask(ring, ids.shape[1], ids.shape[0])
        near = self._small_faces_seen(ids, inside)
        self.choice.take(np.unique(np.concatenate([ids[inside], near])), add)

    def _small_faces_seen(self, ids: Samples, inside: Bools) -> Samples:
        """Faces whose middle is inside and beside a pixel that shows a face next to them: too small to own a pixel."""
        found, canvas = self.choice.mesh, self.model
        assert found is not None
        height, width = ids.shape
        middles = found.mesh.corners().mean(axis=1)
        pixels, depth = canvas.orbit.to_pixels(middles, width, height)
        at = np.floor(np.nan_to_num(pixels, nan=-1)).astype(np.int64)
        there = (at >= 0).all(axis=1) & (at[:, 0] < width) & (at[:, 1] < height) & np.isfinite(depth)
        candidates = np.flatnonzero(there)
        candidates = candidates[inside[at[candidates, 1], at[candidates, 0]]]
        shown = ids[at[candidates, 1], at[candidates, 0]]
        level = np.where((shown >= 0) & (shown < len(depth)), depth[np.clip(shown, 0, len(depth) - 1)], np.inf)
        return np.asarray(candidates[depth[candidates] <= level + 1e-3])

    def _take_sheet_area(self, ring: list[QPointF], add: bool) -> None:
        """Choose what lies in an area of the sheet pane, or give the box to whoever asked for one."""
        field, camera = self.sheet.field(0), self.sheet.camera
        if self.drawing_box:
            self.drawing_box = False
            self.sheet.tool = self.model.tool
            ends = [camera.to_uv(p.x(), p.y(), field.width(), field.height()) for p in (ring[0], ring[2])]
            (u0, v0), (u1, v1) = ends
            self.box_drawn.emit(min(u0, u1), min(v0, v1), max(u0, u1), max(v0, v1))
            return
        faces = self.sheet_faces()
        if faces is None or not self.choosing:
            return
        inside = area_mask(ring, field.width(), field.height())
        self.choice.take(np.unique(faces[inside]), add)
