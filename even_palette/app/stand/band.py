"""The area that a drag draws: a rectangle, or a lasso."""

from dataclasses import dataclass, field

from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from even_palette.app.theme import grey
from even_palette.app.view_state import Tool

LEAST_DRAG_PX = 5


@dataclass
class Band:
    """Where a drag went, in units of the widget."""

    points: list[QPoint] = field(default_factory=list)

    @property
    def is_click(self) -> bool:
        """Whether it went no farther than a click."""
        first = self.points[0]
        return max(abs(p.x() - first.x()) + abs(p.y() - first.y()) for p in self.points) < LEAST_DRAG_PX

    def ring(self, tool: Tool) -> list[QPoint]:
        """The outline of the area."""
        if tool == Tool.LASSO:
            return self.points
        first, last = self.points[0], self.points[-1]
        return [first, QPoint(last.x(), first.y()), last, QPoint(first.x(), last.y())]

    def paint(self, painter: QPainter, tool: Tool, ratio: float) -> None:
        """The outline, by a painter that paints in pixels of the screen, so many a unit."""
        if len(self.points) < 2:
            return
        painter.scale(ratio, ratio)
        for pen in (QPen(grey(255), 3), QPen(grey(0), 1, Qt.PenStyle.DashLine)):
            painter.setPen(pen)
            painter.drawPolygon(QPolygonF([QPointF(point) for point in self.ring(tool)]))
