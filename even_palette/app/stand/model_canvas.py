"""The canvas of the model pane: the mesh in one look, or a spread of them, all through one orbit camera."""

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np
from PyQt6.QtCore import QEvent, QPoint, QPointF, QRect, Qt, pyqtSignal
from PyQt6.QtGui import QHideEvent, QKeyEvent, QMouseEvent, QResizeEvent
from PyQt6.QtWidgets import QWidget

from even_palette.app.jobs import one_shot
from even_palette.app.stand.renderer import Renderer
from even_palette.app.stand.tiles import WHEEL_STEP, Tile, TileView
from even_palette.core.arrays import Floats, Samples
from even_palette.core.mesh.view import Orbit, direction
from even_palette.core.results.pictures import Drawing

KEY_STEP_PX = 24
STILL_MS = 160
"""Edges are smoothed when the view has been still for so long."""


class ModelCanvas(TileView):
    """Shows skins of a mesh. A left drag turns, the middle button or Space-drag pans, Ctrl-drag turns the light."""

    face_hovered = pyqtSignal(int)
    face_clicked = pyqtSignal(int, int, bool)
    view_changed = pyqtSignal()

    def __init__(self, renderer: Renderer, parent: QWidget | None = None) -> None:
        super().__init__("Model view", parent)
        self.renderer = renderer
        self.orbit = Orbit()
        self.lit = False
        self.light_yaw, self.light_pitch = 0.5, 0.8
        self._points: Floats | None = None
        self._shape = ""
        self._framed = True
        self._ids: Samples | None = None
        self._frame: tuple[Floats, float, Orbit] | None = None  # the points framed last, how wide, from where
        self._refine = one_shot(self, STILL_MS, self.invalidate)
        self.series_begins()
        self._from: QPoint | None = None
        self._pressed: QPointF | None = None
        self._drag: Callable[[int, int], None] | None = None

    # What is shown

    def show_tiles(self, tiles: list[Tile], points: Callable[[], Floats], shape: str) -> None:
        """Show these tiles; `points` gives what is framed, `shape` names the mesh: a new one is framed."""
        if shape != self._shape:
            self._points, self._shape, self._framed = points(), shape, True
        count_changed = len(tiles) != len(self.tiles)
        self.set_tiles(tiles)
        if self._framed or count_changed:
            self.frame()
        self.invalidate()

    def aspect(self) -> float:
        return 4 / 3

    def can_draw(self) -> bool:
        skins = [skin for tile in self.tiles for side in (tile.picture, tile.other) if side for skin in side]
        return self.renderer.model_ready("model", skins, self.lit)

    def hideEvent(self, event: QHideEvent | None) -> None:
        self.renderer.forget("model")
        super().hideEvent(event)

    def series_begins(self) -> None:
        towards, smooth = direction(self.light_yaw, self.light_pitch), not self._refine.isActive()
        self._through = self.orbit, self.lit, towards, self.filtered, smooth

    def begin(self, picture: Any, width: int, height: int) -> Drawing:
        orbit, lit, towards, filtered, smooth = self._through
        return self.renderer.render_model(picture, orbit, width, height, lit, towards, filtered, smooth)

    def set_lit(self, lit: bool) -> None:
        """Light the model, or show its colours as they are."""
        self.lit = lit
        self.invalidate()

    def frame(self) -> None:
        """All of the mesh in view."""
        if self._points is None or not len(self._points):
            return
        field = self.field(0)
        aspect = field.width() / max(field.height(), 1)
        if self._frame is None or self._frame[0] is not self._points or self._frame[1:] != (aspect, self.orbit):
            self._frame = self._points, aspect, self.orbit.framed(self._points, aspect)
        self._set_orbit(self._frame[2], framed=True)

    def show_from(self, orbit: Orbit) -> None:
        """Look at it from elsewhere."""
        self._set_orbit(orbit)

    def _set_orbit(self, orbit: Orbit, framed: bool = False) -> None:
        self._framed = framed
        self.orbit = orbit
        if not framed:
            self._refine.start()
        self._ids = None
        self.invalidate()
        self.view_changed.emit()

    def face_ids(self) -> Samples:
        """The face that each pixel of the first tile shows, (h, w) int32, -1 for none."""
        if self._ids is None and self.tiles:
            field = self.field(0)
            self._ids = self.renderer.model_faces(self.tiles[0].picture, self.orbit, field.width(), field.height())
        return self._ids if self._ids is not None else np.full((1, 1), -1, dtype=np.int32)

    def face_at(self, at: QPointF) -> int:
        """The face under a position in the widget, -1 for none."""
        index = self.tile_at(at)
        if index is None:
            return -1
        field, ids = self.field(index), self.face_ids()
        x, y = int(at.x() * self.ratio() - field.x()), int(at.y() * self.ratio() - field.y())
        return int(ids[y, x]) if 0 <= y < ids.shape[0] and 0 <= x < ids.shape[1] else -1

    def position_of(self, point: Floats, index: int = 0) -> QPointF:
        """The position in the widget of a point (3,) of the mesh in a tile."""
        return self.positions_of(point[None], index)[0]

    def positions_of(self, points: Floats, index: int = 0) -> list[QPointF]:
        """The positions in the widget of points (n, 3) of the mesh in a tile."""
        field, ratio = self.field(index), self.ratio()
        pixels, _ = self.orbit.to_pixels(points, field.width(), field.height())
        return [QPointF((x + field.x()) / ratio, (y + field.y()) / ratio) for x, y in pixels.tolist()]

    # Mouse and keys

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._ids = None
        self.forget_drawn()
        if self._framed:
            self.frame()
        self.invalidate()
        self.view_changed.emit()

    def zoom(self, factor: float, x: float, y: float, field: QRect) -> None:
        """Zoom by a factor to a place."""
        self._set_orbit(self.orbit.zoomed(factor, x, y, field.width(), field.height()))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        left = event.button() == Qt.MouseButton.LeftButton
        strokes = self.strokes is not None and self.face_at(event.position()) >= 0
        if strokes and not self.on_edge(event.position()) and self.press_stroke(event):
            return
        self._from, self._pressed, self._drag = event.position().toPoint(), event.position(), None
        if event.button() == Qt.MouseButton.MiddleButton or (left and self._space):
            self._drag = self._pan
        elif event.button() == Qt.MouseButton.RightButton:
            self._drag = self._turn
        elif left and self.on_edge(event.position()):
            self._wiping = True
        elif left and event.modifiers() & Qt.KeyboardModifier.ControlModifier and self.lit:
            self._drag = self._turn_light
        elif left and self.selecting:
            self.begin_band(event.position())
        elif left:
            self._drag = self._turn

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._drag is None and not self._wiping and self.move_stroke(event):
            return
        if self._drag is not None and self._from is not None:
            moved = event.position().toPoint() - self._from
            self._from = event.position().toPoint()
            self._drag(moved.x(), moved.y())
        elif self.banding:
            self.extend_band(event.position())
        elif self._wiping:
            self.drag_wipe(event.position())
        elif event.buttons() == Qt.MouseButton.NoButton:
            self.setCursor(
                Qt.CursorShape.SplitHCursor if self.on_edge(event.position()) else Qt.CursorShape.ArrowCursor
            )
            self.face_hovered.emit(self.face_at(event.position()))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self.release_stroke():
            return
        still = self._pressed is not None and (event.position() - self._pressed).manhattanLength() < 4
        banded = self.banding and self.end_band(event)
        if (
            event.button() == Qt.MouseButton.LeftButton
            and still
            and not banded
            and not self._wiping
            and not self._space
        ):
            tile = self.tile_at(event.position())
            if tile is not None:
                add = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
                self.face_clicked.emit(self.face_at(event.position()), tile, add)
        self._from = self._pressed = self._drag = None
        self._wiping = False

    def leaveEvent(self, event: QEvent | None) -> None:
        if self.strokes is not None:
            self.strokes.hover(self, None)
        self.face_hovered.emit(-1)

    def _turn(self, dx: int, dy: int) -> None:
        self._set_orbit(self.orbit.turned(dx, dy))

    def _pan(self, dx: int, dy: int) -> None:
        ratio = self.ratio()
        self._set_orbit(self.orbit.panned(dx * ratio, dy * ratio, self.field(0).height()))

    def _turn_light(self, dx: int, dy: int) -> None:
        self.light_yaw += dx * 0.01
        self.light_pitch = min(max(self.light_pitch - dy * 0.01, -1.4), 1.4)
        self._refine.start()
        self.invalidate()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        turn = {
            Qt.Key.Key_Left: (-KEY_STEP_PX, 0),
            Qt.Key.Key_Right: (KEY_STEP_PX, 0),
            Qt.Key.Key_Up: (0, -KEY_STEP_PX),
            Qt.Key.Key_Down: (0, KEY_STEP_PX),
        }.get(Qt.Key(event.key()))
        if event.key() == Qt.Key.Key_Space:
            self._space = True
        elif event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Equal, Qt.Key.Key_Minus):
            factor = 1 / WHEEL_STEP if event.key() == Qt.Key.Key_Minus else WHEEL_STEP
            self._set_orbit(replace(self.orbit, distance=self.orbit.distance / factor))
        elif turn is not None and event.modifiers() & Qt.KeyboardModifier.AltModifier and self.wiped():
            self.wipe = min(max(self.wipe + turn[0] / KEY_STEP_PX * 0.02, 0.0), 1.0)
            self.update()
        elif turn is not None and event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self._pan(-turn[0], -turn[1])
        elif turn is not None:
            self._turn(*turn)
        else:
            super().keyPressEvent(event)
