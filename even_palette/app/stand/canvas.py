"""The canvas of the sheet pane: one tile, or a spread of them, all through one camera."""

import math
from dataclasses import dataclass

from PyQt6.QtCore import QEvent, QPoint, QPointF, QRect, Qt, pyqtSignal
from PyQt6.QtGui import QFont, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent, QWheelEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from even_palette.app.stand.camera import Camera
from even_palette.app.stand.renderer import Renderer, to_image
from even_palette.app.theme import grey, tokens
from even_palette.core.looks import Picture

WHEEL_STEP = 1.2
GRIP_PX = 8
LABEL_PX = 22
GAP_PX = 6


@dataclass(frozen=True)
class Tile:
    """What one field of the canvas shows; with a second picture there is a wipe between the two."""

    label: str
    picture: Picture
    other_label: str = ""
    other: Picture | None = None


class Canvas(QWidget):
    """Shows tiles. Emits where the cursor is and what is clicked, in uv of the sheet."""

    hovered = pyqtSignal(float, float)
    left_sheet = pyqtSignal()
    clicked = pyqtSignal(float, float, int)
    camera_changed = pyqtSignal()

    def __init__(self, renderer: Renderer, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(240, 160)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Sheet view")
        self.setProperty("imageArea", True)
        self.renderer = renderer
        self.camera = Camera()
        self.filtered = True
        self.wipe = 0.5
        self.message = ""
        self._tiles: list[Tile] = []
        self._images: list[tuple[QImage, QImage | None]] = []
        self._fitted = True
        self._drag_from: QPoint | None = None
        self._wiping = False
        self._space = False
        self._picking = False

    # What is shown

    def show_tiles(self, tiles: list[Tile], sheet: tuple[int, int]) -> None:
        """Show these tiles of a sheet of so many texels; the camera stays where it was for the same sheet."""
        if sheet != self.camera.sheet:
            self.camera, self._fitted = Camera(sheet), True
        count_changed = len(tiles) != len(self._tiles)
        self._tiles, self.message = tiles, ""
        if self._fitted or count_changed:
            self.fit()
        self._invalidate()

    def show_message(self, text: str) -> None:
        """Show a sentence instead of pictures."""
        self._tiles, self.message = [], text
        self._invalidate()

    def set_filtered(self, filtered: bool) -> None:
        self.filtered = filtered
        self._invalidate()

    def set_picking(self, picking: bool) -> None:
        """While picking, the cursor is a cross and a click is for the eyedropper."""
        self._picking = picking
        self.setCursor(Qt.CursorShape.CrossCursor if picking else Qt.CursorShape.ArrowCursor)

    def fit(self) -> None:
        field = self._field(0)
        self._set_camera(self.camera.fitted(field.width(), field.height()), fitted=True)

    def one_to_one(self) -> None:
        field = self._field(0)
        self._set_camera(self.camera.one_to_one(field.width(), field.height()))

    def _set_camera(self, camera: Camera, fitted: bool = False) -> None:
        self._fitted = fitted
        if camera != self.camera:
            self.camera = camera
            self._invalidate()
        self.camera_changed.emit()

    def _invalidate(self) -> None:
        self._images = []
        self.update()

    # Fields: in pixels of the screen, which on a fine screen are smaller than the widget's units

    def _ratio(self) -> float:
        return self.devicePixelRatioF()

    def _size(self) -> tuple[int, int]:
        return round(self.width() * self._ratio()), round(self.height() * self._ratio())

    def _grid(self) -> tuple[int, int]:
        """Columns and rows that make the tiles largest for the shape of the sheet."""
        count, (width, height) = max(1, len(self._tiles)), self._size()
        aspect = self.camera.sheet[0] / self.camera.sheet[1]
        best = (1, count)
        best_side = 0.0
        for columns in range(1, count + 1):
            rows = math.ceil(count / columns)
            side = min(width / columns / aspect, height / rows - LABEL_PX)
            if side > best_side:
                best, best_side = (columns, rows), side
        return best

    def _cell(self, index: int) -> QRect:
        width, height = self._size()
        if len(self._tiles) <= 1:
            return QRect(0, 0, width, height)
        columns, rows = self._grid()
        row, column = divmod(index, columns)
        left, right = width * column // columns, width * (column + 1) // columns
        top, bottom = height * row // rows, height * (row + 1) // rows
        return QRect(left, top, right - left, bottom - top).adjusted(
            GAP_PX // 2, GAP_PX // 2, -GAP_PX // 2, -GAP_PX // 2
        )

    def _field(self, index: int) -> QRect:
        """Where a tile's picture is drawn: all of a single canvas, a cell without its label in a spread."""
        if len(self._tiles) <= 1:
            return self._cell(0)
        cell = self._cell(index).adjusted(0, round(LABEL_PX * self._ratio()), 0, 0)
        first = self._cell(0)
        return QRect(cell.x(), cell.y(), first.width(), first.height() - round(LABEL_PX * self._ratio()))

    def _tile_at(self, at: QPointF) -> int | None:
        point = (at * self._ratio()).toPoint()
        return next((i for i in range(len(self._tiles)) if self._field(i).contains(point)), None)

    def uv_at(self, at: QPointF) -> tuple[float, float] | None:
        """The uv under a position in the widget, if it is on a sheet."""
        index = self._tile_at(at)
        if index is None:
            return None
        field = self._field(index)
        x, y = at.x() * self._ratio() - field.x(), at.y() * self._ratio() - field.y()
        u, v = self.camera.to_uv(x, y, field.width(), field.height())
        return (u, v) if 0 <= u < 1 and 0 <= v < 1 else None

    def position_of(self, uv: tuple[float, float], index: int = 0) -> QPointF:
        """The position in the widget of a uv in a tile."""
        field = self._field(index)
        x, y = self.camera.to_pixel(uv, field.width(), field.height())
        return QPointF((x + field.x()) / self._ratio(), (y + field.y()) / self._ratio())

    # Painting

    def _render(self) -> None:
        for index, tile in enumerate(self._tiles):
            field = self._field(index)
            view = self.camera.view(field.width(), field.height())
            first = to_image(self.renderer.render(tile.picture, view, self.filtered))
            second = to_image(self.renderer.render(tile.other, view, self.filtered)) if tile.other else None
            self._images.append((first, second))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), grey(tokens().stand))
        if self.message:
            painter.setPen(grey(tokens().text))
            flags = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
            painter.drawText(self.rect().adjusted(40, 20, -40, -20), flags, self.message)
            return
        if not self._images:
            self._render()
        ratio = self._ratio()
        painter.scale(1 / ratio, 1 / ratio)
        for index, (tile, (first, second)) in enumerate(zip(self._tiles, self._images, strict=True)):
            field = self._field(index)
            edge = field.width() if second is None else round(field.width() * self.wipe)
            painter.drawImage(field.topLeft(), first, QRect(0, 0, edge, field.height()))
            if second is not None:
                rest = QRect(edge, 0, field.width() - edge, field.height())
                painter.drawImage(field.topLeft() + QPoint(edge, 0), second, rest)
                self._paint_edge(painter, field, edge, tile)
            if len(self._tiles) > 1:
                self._paint_label(painter, field, tile.label)

    def _paint_edge(self, painter: QPainter, field: QRect, edge: int, tile: Tile) -> None:
        x = field.x() + edge
        painter.setPen(QPen(grey(255), 3))
        painter.drawLine(x, field.top(), x, field.bottom())
        painter.setPen(QPen(grey(0), 1))
        painter.drawLine(x, field.top(), x, field.bottom())
        font = self._pixel_font(painter)
        for text, left in ((tile.label, True), (tile.other_label, False)):
            width = painter.fontMetrics().horizontalAdvance(text) + 16
            height = round(LABEL_PX * self._ratio())
            box = QRect(x - width - 8 if left else x + 8, field.top() + 8, width, height)
            painter.fillRect(box, grey(tokens().panel))
            painter.setPen(grey(tokens().text))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
        painter.setFont(font)

    def _paint_label(self, painter: QPainter, field: QRect, text: str) -> None:
        font = self._pixel_font(painter)
        height = round(LABEL_PX * self._ratio())
        box = QRect(field.x(), field.y() - height, field.width(), height)
        painter.fillRect(box, grey(tokens().panel))
        painter.setPen(grey(tokens().text))
        elided = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, box.width() - 16)
        painter.drawText(box.adjusted(8, 0, -8, 0), Qt.AlignmentFlag.AlignVCenter, elided)
        painter.setFont(font)

    def _pixel_font(self, painter: QPainter) -> QFont:
        """Set the font for painting in screen pixels; gives the font that was set before."""
        before = painter.font()
        font = painter.font()
        font.setPixelSize(round(13 * self._ratio()))
        painter.setFont(font)
        return before

    # Mouse and keys

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        if self._fitted:
            self.fit()
        self._invalidate()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        index = self._tile_at(event.position())
        steps = event.angleDelta().y() / 120
        if index is None or steps == 0:
            return
        field = self._field(index)
        x, y = event.position().x() * self._ratio() - field.x(), event.position().y() * self._ratio() - field.y()
        self._set_camera(self.camera.zoomed(WHEEL_STEP**steps, x, y, field.width(), field.height()))
        event.accept()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        left = event.button() == Qt.MouseButton.LeftButton
        if event.button() == Qt.MouseButton.MiddleButton or (left and self._space):
            self._drag_from = event.position().toPoint()
            self.setCursor(Qt.CursorShape.ClosedHandCursor)
        elif left and self._on_edge(event.position()) and not self._picking:
            self._wiping = True
        elif left:
            uv, index = self.uv_at(event.position()), self._tile_at(event.position())
            if uv is not None and index is not None:
                self.clicked.emit(*uv, index)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._drag_from is not None:
            moved = event.position().toPoint() - self._drag_from
            self._drag_from = event.position().toPoint()
            self._set_camera(self.camera.panned(moved.x() * self._ratio(), moved.y() * self._ratio()))
        elif self._wiping:
            field = self._field(0)
            share = (event.position().x() * self._ratio() - field.x()) / field.width()
            self.wipe = min(max(share, 0.0), 1.0)
            self.update()
        elif not self._picking:
            on_edge = self._on_edge(event.position())
            self.setCursor(Qt.CursorShape.SplitHCursor if on_edge else Qt.CursorShape.ArrowCursor)
        uv = self.uv_at(event.position())
        if uv is None:
            self.left_sheet.emit()
        else:
            self.hovered.emit(*uv)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._drag_from, self._wiping = None, False
        self.set_picking(self._picking)

    def leaveEvent(self, event: QEvent | None) -> None:
        self.left_sheet.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        pan = {
            Qt.Key.Key_Left: (40, 0),
            Qt.Key.Key_Right: (-40, 0),
            Qt.Key.Key_Up: (0, 40),
            Qt.Key.Key_Down: (0, -40),
        }.get(Qt.Key(event.key()))
        field = self._field(0)
        middle = (field.width() / 2, field.height() / 2, field.width(), field.height())
        if event.key() == Qt.Key.Key_Space:
            self._space = True
        elif event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self._set_camera(self.camera.zoomed(WHEEL_STEP, *middle))
        elif event.key() == Qt.Key.Key_Minus:
            self._set_camera(self.camera.zoomed(1 / WHEEL_STEP, *middle))
        elif pan is not None and event.modifiers() & Qt.KeyboardModifier.AltModifier and self._tiles_wiped():
            self.wipe = min(max(self.wipe - math.copysign(0.02, pan[0]), 0.0), 1.0)
            self.update()
        elif pan is not None:
            self._set_camera(self.camera.panned(*pan))
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_Space and not event.isAutoRepeat():
            self._space = False
        super().keyReleaseEvent(event)

    def _tiles_wiped(self) -> bool:
        return len(self._tiles) == 1 and self._tiles[0].other is not None

    def _on_edge(self, at: QPointF) -> bool:
        if not self._tiles_wiped():
            return False
        field = self._field(0)
        return abs(at.x() * self._ratio() - field.x() - field.width() * self.wipe) < GRIP_PX * self._ratio()
