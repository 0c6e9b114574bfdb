"""The canvas of a scene: instances walked around; a click picks one, a drag of what is picked moves it."""

from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QHideEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from even_palette.app.stand.model_canvas import ModelCanvas
from even_palette.app.stand.renderer import Renderer
from even_palette.app.stand.tiles import Tile
from even_palette.app.theme import grey, tokens
from even_palette.core.arrays import Bools, Samples
from even_palette.core.kit.instances import Pick
from even_palette.core.kit.scene import Lamp
from even_palette.core.lineup.daylight import Lighting
from even_palette.core.results.crowd import Crowd
from even_palette.core.results.pictures import Drawing

PURPOSE = "scene"
LAMP_PX = 8
CLOSED_PX = 6
"""Gaps in what is picked that are no wider than twice that are not outlined."""


class SceneCanvas(ModelCanvas):
    """Shows crowds and, in light that has some, lamps. A left drag that begins on something picked moves that over the
    ground; one on a lamp moves it on its height, or with Shift up and down; elsewhere it turns.

    `picked` gives an instance, or None beside all, and whether it is added; `moved` how far in metres the drag went
    since it was last told, `dropped` that it ended; `lamp_moved` the number of a lamp, and where it hangs now.
    """

    picked = pyqtSignal(object, bool)
    moved = pyqtSignal(float, float)
    dropped = pyqtSignal()
    lamp_moved = pyqtSignal(int, object)
    removed = pyqtSignal()
    doubled = pyqtSignal()

    def __init__(self, renderer: Renderer, parent: QWidget | None = None) -> None:
        super().__init__(renderer, parent)
        self.setAccessibleName("Scene view")
        self.time = 0.0
        self.outdoors: Lighting | None = None
        self.picks: tuple[Pick, ...] = ()
        self.lamps: tuple[Lamp, ...] = ()
        self._lamp: int | None = None
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
        if self._points is None or not np.array_equal(points, self._points):
            self._points = points  # the same ones are not framed anew at each colour

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

    def _ray(self, at: QPointF) -> Samples:
        """Where one looks through a position in the widget."""
        field, ratio = self.field(0), self.ratio()
        pixel = np.array([[at.x() * ratio - field.x(), at.y() * ratio - field.y()]])
        return np.asarray(self.orbit.rays(pixel.astype(np.float32), field.width(), field.height())[0])

    def _on_ground(self, at: QPointF, height: float) -> tuple[float, float, float] | None:
        """Where the ray through a position meets the plane at a height; None where it never does."""
        way, eye = self._ray(at), self.orbit.eye()
        if abs(way[1]) < 1e-6 or (height - eye[1]) / way[1] <= 0:
            return None
        far = min((height - eye[1]) / way[1], self.orbit.size * 20)
        return (float(eye[0] + way[0] * far), height, float(eye[2] + way[2] * far))

    # Lamps

    def show_lamps(self, lamps: tuple[Lamp, ...]) -> None:
        """Show where lamps hang."""
        if lamps != self.lamps:
            self.lamps = lamps
            self.update()

    def lamp_at(self, at: QPointF) -> int | None:
        """The lamp at a position in the widget."""
        near = [
            ((place - at).manhattanLength(), number)
            for number, place in enumerate(self._lamp_places())
            if place is not None and (place - at).manhattanLength() < LAMP_PX * 1.5
        ]
        return min(near)[1] if near else None

    def _lamp_places(self) -> list[QPointF | None]:
        """Where lamps are seen in the widget; None for those behind the eye, and for all that are not seen."""
        if not (self.lamps and self.tiles and self.lit):
            return []
        places = np.array([lamp.place for lamp in self.lamps], dtype=np.float32)
        ahead = (places - np.array(self.orbit.eye())) @ self.orbit.axes()[2]
        found = self.positions_of(places)
        return [place if depth > 0 else None for place, depth in zip(found, ahead.tolist(), strict=True)]

    def _move_lamp(self, number: int, at: QPointF, upright: bool) -> None:
        x, y, z = self.lamps[number].place
        if not upright:
            there = self._on_ground(at, y)
        else:
            eye, ahead = np.array(self.orbit.eye()), self.orbit.axes()[2].copy()
            ahead[1] = 0.0
            way = self._ray(at)
            along = float(way @ ahead)
            if abs(along) < 1e-6:
                return
            far = float((np.array([x, y, z]) - eye) @ ahead) / along
            there = (x, float(eye[1] + way[1] * far), z) if far > 0 else None
        if there is not None:
            self.lamp_moved.emit(number, there)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        if not self.lamps:
            return
        painter, t = QPainter(self), tokens()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for lamp, place in zip(self.lamps, self._lamp_places(), strict=False):
            if place is None:
                continue
            foot = self.position_of(np.array([lamp.place[0], 0.0, lamp.place[2]], dtype=np.float32))
            for width, level in ((3, t.field), (1, t.text)):
                painter.setPen(QPen(grey(level), width))
                painter.drawLine(place, foot)
            painter.setPen(QPen(grey(t.field), 4))
            painter.drawEllipse(place, LAMP_PX, LAMP_PX)
            painter.setPen(QPen(grey(t.text), 2))
            painter.setBrush(QColor.fromRgbF(*lamp.colour))
            painter.drawEllipse(place, LAMP_PX, LAMP_PX)
            painter.setBrush(Qt.BrushStyle.NoBrush)

    def _height_of(self, pick: Pick) -> float:
        for crowd in self.crowds:
            if pick in crowd.picks:
                return float(crowd.stands[crowd.picks.index(pick), 1])
        return 0.0

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._ground = None
        left = event.button() == Qt.MouseButton.LeftButton and not self._space
        self._lamp = self.lamp_at(event.position()) if left else None
        if self._lamp is not None:
            return
        if left and self.picks:
            pick = self.pick_at(event.position())
            if pick is not None and pick in self.picks:
                self._ground = self._on_ground(event.position(), self._height_of(pick))
        super().mousePressEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.buttons() == Qt.MouseButton.NoButton:
            over = self.lamp_at(event.position()) is not None
            self.setCursor(Qt.CursorShape.SizeAllCursor if over else Qt.CursorShape.ArrowCursor)
            return  # nothing else hangs on what is under the mouse until it is pressed
        if self._lamp is not None:
            upright = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self._move_lamp(self._lamp, event.position(), upright)
            return
        if self._ground is None or not event.buttons() & Qt.MouseButton.LeftButton:
            super().mouseMoveEvent(event)
            return
        now = self._on_ground(event.position(), self._ground[1])
        if now is not None:
            self.moved.emit(now[0] - self._ground[0], now[2] - self._ground[2])
            self._ground = now

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._lamp is not None:
            self._lamp = None
            self.dropped.emit()
            return
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
