"""Tiles beside each other: one, or a spread of them, each perhaps wiped between two pictures."""

import math
from dataclasses import dataclass
from typing import Any, Protocol

from PyQt6.QtCore import QEvent, QPoint, QPointF, QRect, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import (
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QTabletEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget

from even_palette.app.stand.band import Band
from even_palette.app.stand.fields import field_of
from even_palette.app.stand.labels import LABEL_PX, paint_edge, paint_label
from even_palette.app.stand.outlines import marked
from even_palette.app.stand.renderer import to_image
from even_palette.app.stand.series import Series
from even_palette.app.theme import grey, tokens
from even_palette.app.view_state import Tool
from even_palette.core.arrays import Bools, Levels
from even_palette.core.errors import UserError
from even_palette.core.results.pictures import Drawing

GRIP_PX = 8
WHEEL_STEP = 1.2


@dataclass(frozen=True)
class Tile:
    """What one field shows; with a second picture there is a wipe between the two."""

    label: str
    picture: Any
    other_label: str = ""
    other: Any = None


class Strokes(Protocol):
    """Takes the strokes that are drawn in a pane, at positions in the widget."""

    def begin(self, view: "TileView", at: QPointF, pressure: float, straight: bool) -> None: ...

    def go_on(self, view: "TileView", at: QPointF, pressure: float) -> None: ...

    def end(self, view: "TileView") -> None: ...

    def hover(self, view: "TileView", at: QPointF | None) -> None: ...

    def wheel(self, steps: float) -> None: ...


class LiveImage(Protocol):
    """What is laid over a picture while it changes; it owns the memory of its image."""

    image: QImage


class TileView(QWidget):
    """Lays out and paints tiles. A pane says how a picture is drawn, and what lies over it."""

    area_drawn = pyqtSignal(object, bool)

    def __init__(self, name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(200, 160)
        self.setMouseTracking(True)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(name)
        self.setProperty("imageArea", True)
        self.filtered = True
        self.wipe = 0.5
        self.message = ""
        self.tiles: list[Tile] = []
        self._images: list[tuple[QImage, QImage | None]] = []
        self._series = Series(self, self.update)
        self._overlay: QImage | None = None
        self._old: list[tuple[QImage, QImage | None]] = []
        self._band = Band()
        self._wiping = False
        self.tool = Tool.CLICK
        self._space = False
        self.strokes: Strokes | None = None
        self.stroking = False
        self._pressure = 1.0
        self._live: LiveImage | None = None
        self._live_ends = False
        self._rings: list[QPolygonF] = []

    def aspect(self) -> float:
        """Width to height of what a tile shows."""
        return 1.0

    def begin(self, picture: Any, width: int, height: int) -> Drawing | Levels:
        """A picture at this size, or a drawing of it that is under way."""
        raise NotImplementedError

    def set_tiles(self, tiles: list[Tile]) -> None:
        """Take other tiles; pictures that are drawn already are of use where they are of the same things."""
        if [(tile.label, tile.other is None) for tile in tiles] != [(t.label, t.other is None) for t in self.tiles]:
            self.forget_drawn()
        self.tiles, self.message = tiles, ""

    def forget_drawn(self) -> None:
        """Begin with the first picture again."""
        self._series.forget()

    def zoom(self, factor: float, x: float, y: float, field: QRect) -> None:
        """Go closer by a factor to what lies under pixel (x, y) of a field."""
        raise NotImplementedError

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        index, steps = self.tile_at(event.position()), event.angleDelta().y() / 120
        if self.strokes is not None and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.strokes.wheel(steps)
            event.accept()
            return
        if index is None or steps == 0:
            return
        field, ratio = self.field(index), self.ratio()
        x, y = event.position().x() * ratio - field.x(), event.position().y() * ratio - field.y()
        self.zoom(WHEEL_STEP**steps, x, y, field)
        event.accept()

    def keyReleaseEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_Space and not event.isAutoRepeat():
            self._space = False
        super().keyReleaseEvent(event)

    @property
    def seen(self) -> bool:
        """Whether a picture is seen, be it one from before."""
        return bool(self._images or self._old)

    def show_message(self, text: str) -> None:
        """Show a sentence instead of pictures, or nothing."""
        self._old = []
        self.forget_drawn()
        self.tiles, self._images, self.message = [], [], text
        self.invalidate()

    def set_filtered(self, filtered: bool) -> None:
        """Show the filter of a runtime, or texels as squares."""
        self.filtered = filtered
        self.invalidate()

    def invalidate(self) -> None:
        """Draw the pictures anew; until they can be drawn, the old ones stay.

        Those that are being drawn are shown once they are there, so that a view in motion is seen to move.
        """
        self._series.stale = True
        self._old = self._images or self._old
        self._images = []
        self.update()

    def show_drawn(self) -> None:
        """Paint again what is drawn already, without strokes that have ended."""
        if self._live_ends:
            self._live = None
        self.update()

    @property
    def pending(self) -> bool:
        """Whether what is seen is not yet what shall be seen."""
        return bool(self.tiles) and not self._images and self.isVisible()

    def can_draw(self) -> bool:
        """Whether all that the pictures need is there."""
        return True

    def show_marks(self, edges: Bools | None, filled: Bools | None) -> None:
        """Lay outlines and a light pattern over every tile; both are of a field's size."""
        self._overlay = None if edges is None or filled is None else to_image(marked(edges, filled))
        self.update()

    # Strokes: what is painted is seen at once, over the picture, until the picture itself shows it

    def tabletEvent(self, event: QTabletEvent | None) -> None:
        """Keep the pen's pressure; Qt then tells of the same movement as one of the mouse."""
        assert event is not None
        self._pressure = event.pressure() if event.type() != QEvent.Type.TabletRelease else 1.0
        event.ignore()

    def press_stroke(self, event: QMouseEvent) -> bool:
        """Begin a stroke if a left press means one here."""
        if self.strokes is None or event.button() != Qt.MouseButton.LeftButton or self._space:
            return False
        self.stroking = True
        straight = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        self.strokes.begin(self, event.position(), self._pressure, straight)
        return True

    def move_stroke(self, event: QMouseEvent) -> bool:
        """Go on with a stroke, or show where one would begin."""
        if self.strokes is None:
            return False
        self.strokes.hover(self, event.position())
        if self.stroking:
            self.strokes.go_on(self, event.position(), self._pressure)
        return self.stroking

    def release_stroke(self) -> bool:
        """End the stroke in hand."""
        if not self.stroking:
            return False
        self.stroking = False
        if self.strokes is not None:
            self.strokes.end(self)
        return True

    def show_live(self, live: LiveImage, changed: QRect) -> None:
        """Lay an image of the field's size over the picture; so much of it is new."""
        self._live, self._live_ends = live, False
        ratio = self.ratio()
        field = self.field(0)
        at = changed.translated(field.topLeft())
        self.update(
            QRect(math.floor(at.x() / ratio) - 1, math.floor(at.y() / ratio) - 1,
                  math.ceil(at.width() / ratio) + 3, math.ceil(at.height() / ratio) + 3)
        )  # fmt: skip

    def end_live(self, at_once: bool = False) -> None:
        """Take that image away with the next picture, or at once."""
        self._live_ends = True
        if at_once or not self.tiles:
            self._live = None
            self.update()

    def show_rings(self, rings: list[QPolygonF]) -> None:
        """Draw where the brush would act, in the widget's units."""
        if rings or self._rings:
            self._rings = rings
            self.update()

    # A box or lasso, in pixels of the tile where it was begun

    @property
    def selecting(self) -> bool:
        """Whether a left drag draws an area."""
        return self.tool != Tool.CLICK

    @property
    def banding(self) -> bool:
        """Whether an area is being drawn."""
        return bool(self._band.points)

    def begin_band(self, at: QPointF) -> None:
        """Begin an area at a position in the widget."""
        self._band.points = [at.toPoint()]

    def extend_band(self, at: QPointF) -> None:
        """Draw the area on to a position in the widget."""
        self._band.points.append(at.toPoint())
        self.update()

    def end_band(self, event: QMouseEvent) -> bool:
        """Tell of the area that was drawn; False if it was no more than a click."""
        band, self._band = self._band, Band()
        self.update()
        tile = self.tile_at(QPointF(band.points[0]))
        if band.is_click or tile is None:
            return False
        field = self.field(tile)
        ring = [QPointF(p) * self.ratio() - QPointF(field.topLeft()) for p in band.ring(self.tool)]
        self.area_drawn.emit(ring, bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))
        return True

    # Fields: in pixels of the screen, which on a fine screen are smaller than the widget's units

    def ratio(self) -> float:
        """How many pixels of the screen a unit of the widget has."""
        return self.devicePixelRatioF()

    def _size(self) -> tuple[int, int]:
        return round(self.width() * self.ratio()), round(self.height() * self.ratio())

    def field(self, index: int) -> QRect:
        """Where a tile's picture is drawn (see `fields.field_of`)."""
        return field_of(index, len(self.tiles), *self._size(), self.aspect(), round(LABEL_PX * self.ratio()))

    def tile_at(self, at: QPointF) -> int | None:
        """The number of the tile at a position in the widget."""
        point = (at * self.ratio()).toPoint()
        return next((i for i in range(len(self.tiles)) if self.field(i).contains(point)), None)

    # Painting

    def _render(self) -> None:
        """Go on drawing; the pictures are there when `_images` are."""
        if not self._series.begun:
            self._series.start([side for t in self.tiles for side in (t.picture, t.other) if side is not None])
            self.series_begins()
        size = self.field(0).size()
        made = self._series.draw(lambda picture: self.begin(picture, size.width(), size.height()))
        if made is None:
            return
        self.series_ends()
        each = iter(made)
        found = [(next(each), next(each) if tile.other is not None else None) for tile in self.tiles]
        if self._series.stale:
            self._old = found
            QTimer.singleShot(0, self.update)
        else:
            self._images = found

    def series_begins(self) -> None:
        """The first of the pictures is drawn; what the view is now holds for all, so that they can be compared."""

    def series_ends(self) -> None:
        """The last of the pictures was drawn."""

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), grey(tokens().stand))
        if self.message:
            painter.setPen(grey(tokens().text))
            flags = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
            painter.drawText(self.rect().adjusted(40, 20, -40, -20), flags, self.message)
            return
        if not self.tiles:
            return
        if not self._images:
            if self.can_draw():
                try:
                    self._render()
                except UserError as error:
                    painter.end()
                    self.show_message(str(error))
                    return
                if self._images:
                    self._old = []
                    self._live = None if self._live_ends else self._live
            else:
                QTimer.singleShot(0, self.update)
        images = self._images or self._old
        if len(images) != len(self.tiles):
            return
        ratio = self.ratio()
        painter.scale(1 / ratio, 1 / ratio)
        for index, (tile, (first, second)) in enumerate(zip(self.tiles, images, strict=True)):
            field = self.field(index)
            edge = field.width() if second is None else round(field.width() * self.wipe)
            painter.drawImage(field.topLeft(), first, QRect(0, 0, edge, field.height()))
            if second is not None:
                rest = QRect(edge, 0, field.width() - edge, field.height())
                painter.drawImage(field.topLeft() + QPoint(edge, 0), second, rest)
                paint_edge(painter, field, edge, tile.label, tile.other_label, ratio)
            if self._live is not None and index == 0:
                painter.drawImage(field.topLeft(), self._live.image)
            if self._overlay is not None:
                painter.drawImage(field.topLeft(), self._overlay)
            if len(self.tiles) > 1:
                paint_label(painter, field, tile.label, ratio)
        self._band.paint(painter, self.tool, ratio)
        self._paint_rings(painter)

    def _paint_rings(self, painter: QPainter) -> None:
        if not self._rings:
            return
        painter.resetTransform()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for pen in (QPen(grey(0), 2.4), QPen(grey(255), 1.0)):
            painter.setPen(pen)
            for ring in self._rings:
                painter.drawPolygon(ring)

    # The wipe

    def wiped(self) -> bool:
        return len(self.tiles) == 1 and self.tiles[0].other is not None

    def on_edge(self, at: QPointF) -> bool:
        """Whether a position in the widget is on the edge of the wipe."""
        if not self.wiped():
            return False
        field = self.field(0)
        return abs(at.x() * self.ratio() - field.x() - field.width() * self.wipe) < GRIP_PX * self.ratio()

    def drag_wipe(self, at: QPointF) -> None:
        """Move the edge of the wipe to a position in the widget."""
        field = self.field(0)
        self.wipe = min(max((at.x() * self.ratio() - field.x()) / field.width(), 0.0), 1.0)
        self.update()
