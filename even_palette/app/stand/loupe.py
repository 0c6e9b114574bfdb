"""The loupe: the texel under the cursor enlarged, with exact values from the reference."""

from PyQt6.QtCore import QPoint, QRect, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from even_palette.app.theme import grey, tokens
from even_palette.core.colour.hexcode import encoded_to_hex, format_hex
from even_palette.core.kit.sheet import Region
from even_palette.core.results.pictures import View
from even_palette.core.results.texels import Texel

TEXELS = 11
SQUARE_PX = 14
ROW_PX = 18
MARGIN_PX = 10
MOST_ROWS = 5
WIDTH_PX = 232
GAP_PX, NEAR_PX = 12, 40


def view_around(texel: tuple[int, int], size: tuple[int, int]) -> View:
    """The texels around one, of a sheet of so many texels."""
    half, (width, height) = TEXELS // 2, size
    return View(((texel[0] - half) / width, (texel[1] - half) / height), (1 / width, 1 / height), TEXELS, TEXELS)


class Loupe(QWidget):
    """A small panel over the stand; mouse events go through it."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("loupe")
        self.setAccessibleName("Loupe")
        self.setProperty("imageArea", True)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self._image: QImage | None = None
        self._rows: list[tuple[str, str]] = []
        self._weights: list[tuple[Region, float]] = []
        self.setFixedWidth(WIDTH_PX)
        self.hide()

    def show_texel(
        self, image: QImage, at: tuple[int, int], texel: Texel, regions: tuple[Region, ...], label: str
    ) -> None:
        """Show 11 x 11 texels around one, and the values of that one."""
        self._image = image
        encoded, linear = texel.encoded, texel.linear
        self._rows = [
            (label, f"{at[0]}, {at[1]}"),
            ("hex", encoded_to_hex(encoded)),
            ("8 bit", "  ".join(f"{255 * v:5.1f}" for v in encoded)),
            ("encoded", " ".join(f"{v:.4f}" for v in encoded)),
            ("linear", " ".join(f"{v:.4f}" for v in linear)),
            ("mask sum", f"{texel.mask_sum:.3f}"),
        ]
        if texel.entry is not None:
            number, colour = texel.entry
            self._rows.append(("entry", f"{number}  {format_hex(colour)}"))
        shown = [(r, w) for r, w in zip(regions, texel.weights, strict=True) if w > 0]
        shown.sort(key=lambda pair: -pair[1])
        self._weights = shown[:MOST_ROWS]
        self._rows.append(("weights + base", f"{sum(texel.weights):.3f} + {1 - sum(texel.weights):.3f}"))
        rows = len(self._rows) + len(self._weights)
        self.setFixedHeight(TEXELS * SQUARE_PX + 3 * MARGIN_PX + rows * ROW_PX)
        self.update()

    def go_beside(self, at: QPoint | None) -> None:
        """To the upper right corner, or the upper left one if what is looked at is near it."""
        stand = self.parentWidget()
        assert stand is not None
        right = stand.width() - self.width() - GAP_PX
        near = at is not None and at.x() > right - NEAR_PX and at.y() < self.height() + NEAR_PX
        self.move(QPoint(GAP_PX if near else right, GAP_PX))

    def values(self) -> dict[str, str]:
        """What is written, for those who cannot see it."""
        weights = {region.name: f"{weight:.3f}" for region, weight in self._weights}
        return {**dict(self._rows), **weights}

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        t = tokens()
        painter.fillRect(self.rect(), grey(t.panel))
        painter.setPen(grey(t.strong_line))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        side = TEXELS * SQUARE_PX
        left = (WIDTH_PX - side) // 2
        square = QRect(left, MARGIN_PX, side, side)
        painter.fillRect(square, grey(t.stand))
        if self._image is not None:
            painter.drawImage(square, self._image)
        middle = QRect(left + TEXELS // 2 * SQUARE_PX, MARGIN_PX + TEXELS // 2 * SQUARE_PX, SQUARE_PX, SQUARE_PX)
        painter.setPen(grey(0))
        painter.drawRect(middle.adjusted(-1, -1, 0, 0))
        painter.setPen(grey(255))
        painter.drawRect(middle.adjusted(-2, -2, 1, 1))
        top = side + 2 * MARGIN_PX
        width = self.width() - 2 * MARGIN_PX
        for name, value in self._rows:
            line = QRect(MARGIN_PX, top, width, ROW_PX)
            painter.setPen(grey(t.quiet_text))
            painter.drawText(line, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, name)
            painter.setPen(grey(t.text))
            painter.drawText(line, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, value)
            top += ROW_PX
        for region, weight in self._weights:
            line = QRect(MARGIN_PX + 16, top, width - 16, ROW_PX)
            painter.fillRect(MARGIN_PX, top + 4, 10, 10, QColor(format_hex(region.id_colour)))
            painter.setPen(grey(t.text if weight else t.quiet_text))
            painter.drawText(line, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, region.name)
            painter.drawText(line, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, f"{weight:.3f}")
            top += ROW_PX
