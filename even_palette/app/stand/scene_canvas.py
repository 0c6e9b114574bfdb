"""The canvas of a scene: instances walked around; a click picks one, a drag of what is picked moves it."""

from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QHideEvent, QKeyEvent, QMouseEvent
from PyQt6.QtWidgets import QWidget

from even_palette.app.stand.model_canvas import ModelCanvas
from even_palette.app.stand.renderer import Renderer
from even_palette.app.stand.tiles import Tile
from even_palette.core.arrays import Bools, Samples
from even_palette.core.kit.instances import Pick
from even_palette.core.lineup.daylight import Lighting
from even_palette.core.results.crowd import Crowd
from even_palette.core.results.pictures import Drawing

PURPOSE = "scene"
CLOSED_PX = 6
"""Gaps in what is picked that are no wider than twice that are not outlined."""


class SceneCanvas(ModelCanvas):
    """Shows crowds. A left drag that begins on something picked moves that over the ground; elsewhere it turns.

    `picked` gives an instance, or None beside all, and whether it is added; `moved` how far in metres the drag went
    since it was last told, `dropped` that it ended.
    """

    picked = pyqtSignal(object, bool)
    moved = pyqtSignal(float, float)
    dropped = pyqtSignal()
    removed = pyqtSignal()
    doubled = pyqtSignal()

    def __init__(self, renderer: Renderer, parent: QWidget | None = None) -> None:
        super().__init__(renderer, parent)
        self.setAccessibleName("Scene view")
        self.time = 0.0
        self.outdoors: Lighting | None = None
        self.picks: tuple[Pick, ...] = ()
        self._ground: tuple[float, float, float] | None = None
        self._refine.timeout.connect(lambda: self.mark(self.picks))

    @property
    def crowds(self) -> list[Crowd]:
        """What is shown."""
        return self.tiles[0].picture if self.tiles else []

    def can_draw(self) -> bool:
        return self.renderer.crowd_ready(PURPOSE, self.crowds, self.lit)

    def hideEvent(self, event: QHideEvent | None) -> None:
        self.renderer.forget(PURPOSE)
        super().hideEvent(event)

    def begin(self, picture: Any, width: int, height: int) -> Drawing:
        from even_palette.gl.model_view import Light

        orbit, lit, towards, _, smooth = self._through
        return self.renderer.render_crowd(
            picture, orbit, width, height, Light(lit, towards, smooth, self.outdoors), self.time
        )

    def face_ids(self) -> Samples:
        """The instance that each pixel shows, (h, w) int32, crowds counting on; -1 for none."""
        if self._ids is None and self.tiles:
            field = self.field(0)
            self._ids = self.renderer.crowd_instances(self.crowds, self.orbit, field.width(), field.height())
        return self._ids if self._ids is not None else np.full((1, 1), -1, dtype=np.int32)

    def pick_at(self, at: QPointF) -> Pick | None:
        """The instance under a position in the widget."""
        number = self.face_at(at)
        picks = [pick for crowd in self.crowds for pick in crowd.picks]
        return picks[number] if 0 <= number < len(picks) else None

    def show_crowds(self, crowds: list[Crowd], label: str, framed: str) -> None:
        """Show crowds; all of them are framed where `framed` is another name than before."""
        self._ids = None
        points = np.concatenate([crowd.corners().reshape(-1, 3) for crowd in crowds])
        self.show_tiles([Tile(label, crowds)], lambda: points, framed)
        self._points = points

    def mark(self, picks: tuple[Pick, ...]) -> None:
        """Outline instances that are picked."""
        self.picks = picks
        if not picks or not self.tiles:
            self.show_marks(None, None)
            return
        wanted = set(picks)
        there = [pick in wanted for crowd in self.crowds for pick in crowd.picks]
        inside = np.array([*there, False])[self.face_ids()]
        whole = ~_widened(~_widened(inside, CLOSED_PX), CLOSED_PX)  # rails and leaves make no outlines of their own
        edges = _widened(whole, 1) & ~whole
        self.show_marks(edges, np.zeros_like(whole))

    def _on_ground(self, at: QPointF, height: float) -> tuple[float, float, float] | None:
        """Where the ray through a position meets the plane at a height; None where it never does."""
        field, ratio = self.field(0), self.ratio()
        pixel = np.array([[at.x() * ratio - field.x(), at.y() * ratio - field.y()]])
        way = self.orbit.rays(pixel.astype(np.float32), field.width(), field.height())[0]
        eye = self.orbit.eye()
        if abs(way[1]) < 1e-6 or (height - eye[1]) / way[1] <= 0:
            return None
        far = min((height - eye[1]) / way[1], self.orbit.size * 20)
        return (float(eye[0] + way[0] * far), height, float(eye[2] + way[2] * far))

    def _height_of(self, pick: Pick) -> float:
        for crowd in self.crowds:
            if pick in crowd.picks:
                return float(crowd.stands[crowd.picks.index(pick), 1])
        return 0.0

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._ground = None
        if event.button() == Qt.MouseButton.LeftButton and not self._space and self.picks:
            pick = self.pick_at(event.position())
            if pick is not None and pick in self.picks:
                self._ground = self._on_ground(event.position(), self._height_of(pick))
        super().mousePressEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.buttons() == Qt.MouseButton.NoButton:
            return  # nothing hangs on what is under the mouse until it is pressed
        if self._ground is None or not event.buttons() & Qt.MouseButton.LeftButton:
            super().mouseMoveEvent(event)
            return
        now = self._on_ground(event.position(), self._ground[1])
        if now is not None:
            self.moved.emit(now[0] - self._ground[0], now[2] - self._ground[2])
            self._ground = now

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        pressed, dragged = self._pressed, self._ground is not None
        super().mouseReleaseEvent(event)
        self._ground = None
        if dragged:
            self.dropped.emit()
        still = pressed is not None and (event.position() - pressed).manhattanLength() < 4
        if event.button() == Qt.MouseButton.LeftButton and still:
            add = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self.picked.emit(self.pick_at(event.position()), add)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.removed.emit()
        elif event.key() == Qt.Key.Key_D and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.doubled.emit()
        else:
            super().keyPressEvent(event)


def _widened(mask: Bools, by: int) -> Bools:
    """A mask (h, w) with what lies within so many pixels of it, in a square."""
    found = mask.copy()
    for axis in (0, 1):
        rows, source = (found, found.copy()) if axis == 0 else (found.T, found.copy().T)
        for step in range(1, by + 1):
            rows[step:] |= source[:-step]
            rows[:-step] |= source[step:]
    return found
