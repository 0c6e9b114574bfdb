"""Labels of tiles, painted in pixels of the screen; `ratio` is how many of them a unit of the widget has."""

from PyQt6.QtCore import QRect, Qt
from PyQt6.QtGui import QFont, QPainter, QPen

from even_palette.app.theme import grey, tokens

LABEL_PX = 22


def paint_edge(painter: QPainter, field: QRect, edge: int, left: str, right: str, ratio: float) -> None:
    """The edge of a wipe, so far from the left of its field, with what stands on both sides."""
    x = field.x() + edge
    painter.setPen(QPen(grey(255), 3))
    painter.drawLine(x, field.top(), x, field.bottom())
    painter.setPen(QPen(grey(0), 1))
    painter.drawLine(x, field.top(), x, field.bottom())
    font = _pixel_font(painter, ratio)
    for text, is_left in ((left, True), (right, False)):
        width = painter.fontMetrics().horizontalAdvance(text) + 16
        box = QRect(x - width - 8 if is_left else x + 8, field.top() + 8, width, round(LABEL_PX * ratio))
        painter.fillRect(box, grey(tokens().panel))
        painter.setPen(grey(tokens().text))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
    painter.setFont(font)


def paint_label(painter: QPainter, field: QRect, text: str, ratio: float) -> None:
    """The label above a field."""
    font = _pixel_font(painter, ratio)
    height = round(LABEL_PX * ratio)
    box = QRect(field.x(), field.y() - height, field.width(), height)
    painter.fillRect(box, grey(tokens().panel))
    painter.setPen(grey(tokens().text))
    elided = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, box.width() - 16)
    painter.drawText(box.adjusted(8, 0, -8, 0), Qt.AlignmentFlag.AlignVCenter, elided)
    painter.setFont(font)


def _pixel_font(painter: QPainter, ratio: float) -> QFont:
    """Set the font for painting in pixels of the screen; gives the one that was set before."""
    before = painter.font()
    font = painter.font()
    font.setPixelSize(round(13 * ratio))
    painter.setFont(font)
    return before
