"""The canvas of the sheet pane: one tile, or a spread of them, all through one camera."""

import math
from dataclasses import replace

from PyQt6.QtCore import QEvent, QPoint, QPointF, QRect, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QResizeEvent
from PyQt6.QtWidgets import QWidget

from even_palette.app.stand.camera import Camera
from even_palette.app.stand.later import LaterDrawing
from even_palette.app.stand.renderer import Renderer
from even_palette.app.stand.tiles import WHEEL_STEP, Tile, TileView
from even_palette.core.arrays import Levels
from even_palette.core.results.pictures import Drawer, Drawing, Picture
from even_palette.cpu.drawing import LoopDrawing

PLACE_ROOM, MOST_PLACE_ZOOM = 3.0, 8.0


class Canvas(TileView):
    """Shows a sheet. Emits where the cursor is and what is clicked, in uv of the sheet."""

    hovered = pyqtSignal(float, float)
    left_sheet = pyqtSignal()
    clicked = pyqtSignal(float, float, int, bool)
    camera_changed = pyqtSignal()
    tiles_shown = pyqtSignal()

    def __init__(self, renderer: Renderer, parent: QWidget | None = None) -> None:
        super().__init__("Sheet view", parent)
        self.renderer = renderer
        self._later = LaterDrawing(self)
        self._later.finer.connect(self.invalidate)
        self.drawers: list[Drawer] = [
            LoopDrawing(renderer.is_slow),
            renderer,
            self._later,
        ]
        self.camera = self._through = Camera()
        self._fitted = True
        self._drag_from: QPoint | None = None
        self._picking = False

    def aspect(self) -> float:
        return self.camera.sheet[0] / self.camera.sheet[1]

    def can_draw(self) -> bool:
        pictures = [p for tile in self.tiles for p in (tile.picture, tile.other) if p is not None]
        return self.renderer.ready("sheet", pictures)

    def begin(self, picture: Picture, width: int, height: int) -> Drawing | Levels:
        """What the first drawer gives that draws it now; the last always does."""
        view = self._through.view(width, height)
        begun = (drawer.begin(picture, view, self.filtered) for drawer in self.drawers)
        return next(drawing for drawing in begun if drawing is not None)

    def series_begins(self) -> None:
        self._through = self.camera
        self._later.start()

    def series_ends(self) -> None:
        self._later.go_on()

    # What is shown

    def show_tiles(self, tiles: list[Tile], sheet: tuple[int, int]) -> None:
        """Show these tiles of a sheet of so many texels; the camera stays where it was for the same sheet."""
        if sheet != self.camera.sheet:
            self.camera, self._fitted = Camera(sheet), True
        first, count_changed = not self.tiles, len(tiles) != len(self.tiles)
        drawn = bool(self._images) and not count_changed and all(map(_alike, tiles, self.tiles))
        self.set_tiles(tiles)
        if self._fitted or count_changed:
            self.fit()
        if drawn:
            self.show_drawn()
        else:
            self.invalidate()
        if first:
            self.repaint()  # the result before the rest of the window
        self.tiles_shown.emit()

    def set_picking(self, picking: bool) -> None:
        """While picking, the cursor is a cross and a click is for the eyedropper."""
        self._picking = picking
        self.setCursor(Qt.CursorShape.CrossCursor if picking else Qt.CursorShape.ArrowCursor)

    def fit(self) -> None:
        """Show the whole sheet."""
        field = self.field(0)
        self._set_camera(self.camera.fitted(field.width(), field.height()), fitted=True)

    def show_place(self, left: float, top: float, right: float, bottom: float) -> None:
        """Go to a rectangle of uv, with room around it."""
        field, (width, height) = self.field(0), self.camera.sheet
        across, down = max((right - left) * width, 24) * PLACE_ROOM, max((bottom - top) * height, 24) * PLACE_ROOM
        zoom = min(field.width() / across, field.height() / down, MOST_PLACE_ZOOM)
        fitted = self.camera.fitted(field.width(), field.height())
        middle = ((left + right) / 2, (top + bottom) / 2)
        self._set_camera(replace(fitted, centre=middle, zoom=zoom) if zoom > fitted.zoom else fitted)

    def one_to_one(self) -> None:
        """Show a texel a pixel."""
        field = self.field(0)
        self._set_camera(self.camera.one_to_one(field.width(), field.height()))

    def _set_camera(self, camera: Camera, fitted: bool = False) -> None:
        self._fitted = fitted
        if camera != self.camera:
            self.camera = camera
            self.invalidate()
        self.camera_changed.emit()

    def uv_at(self, at: QPointF) -> tuple[float, float] | None:
        """The uv under a position in the widget, if it is on a sheet."""
        index = self.tile_at(at)
        if index is None:
            return None
        field = self.field(index)
        x, y = at.x() * self.ratio() - field.x(), at.y() * self.ratio() - field.y()
        u, v = self.camera.to_uv(x, y, field.width(), field.height())
        return (u, v) if 0 <= u < 1 and 0 <= v < 1 else None

    def position_of(self, uv: tuple[float, float], index: int = 0) -> QPointF:
        """The position in the widget of a uv in a tile."""
        field = self.field(index)
        x, y = self.camera.to_pixel(uv, field.width(), field.height())
        return QPointF((x + field.x()) / self.ratio(), (y + field.y()) / self.ratio())

    # Mouse and keys

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        if self._fitted:
            self.fit()
        if not self.tiles:
            self._old = []
        self.forget_drawn()
        self.invalidate()

    def zoom(self, factor: float, x: float, y: float, field: QRect) -> None:
        """Zoom by a factor to a place."""
        self._set_camera(self.camera.zoomed(factor, x, y, field.width(), field.height()))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        left = event.button() == Qt.MouseButton.LeftButton
        if not self._picking and not self.on_edge(event.position()) and self.press_stroke(event):
            return
        if event.button() == Qt.MouseButton.MiddleButton or (left and self._space):
            self._drag_from = event.position().toPoint()
            self.setCursor(Qt.CursorShape.ClosedHandCursor)
        elif left and self.on_edge(event.position()) and not self._picking:
            self._wiping = True
        elif left and self.selecting and not self._picking:
            self.begin_band(event.position())
        elif left:
            self._click(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._drag_from is None and not self._wiping and self.move_stroke(event):
            return
        if self._drag_from is not None:
            moved = event.position().toPoint() - self._drag_from
            self._drag_from = event.position().toPoint()
            self._set_camera(self.camera.panned(moved.x() * self.ratio(), moved.y() * self.ratio()))
        elif self.banding:
            self.extend_band(event.position())
        elif self._wiping:
            self.drag_wipe(event.position())
        elif not self._picking:
            on_edge = self.on_edge(event.position())
            self.setCursor(Qt.CursorShape.SplitHCursor if on_edge else Qt.CursorShape.ArrowCursor)
        uv = self.uv_at(event.position())
        if uv is None:
            self.left_sheet.emit()
        else:
            self.hovered.emit(*uv)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self.release_stroke():
            return
        if self.banding and not self.end_band(event):
            self._click(event)
        self._drag_from, self._wiping = None, False
        self.set_picking(self._picking)

    def _click(self, event: QMouseEvent) -> None:
        uv, index = self.uv_at(event.position()), self.tile_at(event.position())
        if uv is not None and index is not None:
            self.clicked.emit(*uv, index, bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))

    def leaveEvent(self, event: QEvent | None) -> None:
        if self.strokes is not None:
            self.strokes.hover(self, None)
        self.left_sheet.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        pan = {
            Qt.Key.Key_Left: (40, 0),
            Qt.Key.Key_Right: (-40, 0),
            Qt.Key.Key_Up: (0, 40),
            Qt.Key.Key_Down: (0, -40),
        }.get(Qt.Key(event.key()))
        field = self.field(0)
        middle = (field.width() / 2, field.height() / 2, field.width(), field.height())
        if event.key() == Qt.Key.Key_Space:
            self._space = True
        elif event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self._set_camera(self.camera.zoomed(WHEEL_STEP, *middle))
        elif event.key() == Qt.Key.Key_Minus:
            self._set_camera(self.camera.zoomed(1 / WHEEL_STEP, *middle))
        elif pan is not None and event.modifiers() & Qt.KeyboardModifier.AltModifier and self.wiped():
            self.wipe = min(max(self.wipe - math.copysign(0.02, pan[0]), 0.0), 1.0)
            self.update()
        elif pan is not None:
            self._set_camera(self.camera.panned(*pan))
        else:
            super().keyPressEvent(event)


def _alike(tile: Tile, other: Tile) -> bool:
    """Whether the pictures of both are the same at every pixel."""
    pairs = (tile.picture, other.picture), (tile.other, other.other)
    return all(one is two or (one is not None and two is not None and one.looks_like(two)) for one, two in pairs)
