"""The cheapest conditions that are still good: a search, its front as a plot, and points that are clicked and seen."""

import math
from itertools import pairwise

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from even_palette.app.controls import ShortList, label, row
from even_palette.app.number import NumberRow
from even_palette.app.session import Session
from even_palette.app.theme import grey, tokens
from even_palette.app.tray.packings import PACKINGS
from even_palette.core.disk.gate import size_text
from even_palette.core.errors import NotReady
from even_palette.core.jobs import CancelToken, Progress
from even_palette.core.kit import commands
from even_palette.core.proof.conditions import sizes_of
from even_palette.core.results.looks import Look
from even_palette.core.results.proof import map_label, shipped
from even_palette.core.results.proof_search import Found, Point, layouts_of, search

LEFT_PX, LOW_PX, DOT_PX, NEAR_PX = 52, 24, 5, 14
MIB = 1 << 20
LIST_PX = 330
TIP = "In the mean: ΔE00 of light; two degrees of normals, or two percent of numbers, count as one."


class FrontPlot(QWidget):
    """Bytes to the right, by their logarithm, errors upwards; `chosen` gives the number of a point that is clicked."""

    chosen = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Bytes against error")
        self.setProperty("imageArea", True)
        self.setMinimumHeight(96)
        self.points: tuple[Point, ...] = ()
        self.current = -1

    def show_points(self, points: tuple[Point, ...], current: int) -> None:
        """Show a front, one of its points chosen."""
        self.points, self.current = points, current
        self.setAccessibleDescription(f"{len(points)} points, {current + 1} is chosen")
        self.update()

    def place(self, number: int) -> QPointF:
        """Where a point lies."""
        area, low, high, most = self._area(), *self._ends()
        point = self.points[number]
        across = (math.log2(point.choice.bytes) - low) / max(high - low, 1e-6)
        return QPointF(area.left() + across * area.width(), area.bottom() - point.error / most * area.height())

    def _ends(self) -> tuple[float, float, float]:
        sizes = [math.log2(max(point.choice.bytes, 1)) for point in self.points]
        return min(sizes), max(sizes), max((point.error for point in self.points), default=1.0) * 1.05 or 1.0

    def _area(self) -> QRectF:
        return QRectF(LEFT_PX, 10, max(self.width() - LEFT_PX - 14, 1), max(self.height() - LOW_PX - 12, 1))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, t = QPainter(self), tokens()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), grey(t.field))
        if not self.points:
            return
        area, low, high, most = self._area(), *self._ends()
        painter.setPen(QPen(grey(t.line), 1))
        painter.drawRect(area)
        step = next(each for each in (0.1, 0.25, 0.5, 1, 2, 5, 10, 25) if most / each <= 6)
        for number in range(int(most / step) + 1):
            y = area.bottom() - number * step / most * area.height()
            painter.setPen(QPen(grey(t.line), 1))
            painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
            painter.setPen(grey(t.quiet_text))
            painter.drawText(QRectF(0, y - 8, LEFT_PX - 6, 16), Qt.AlignmentFlag.AlignRight, f"{number * step:g}")
        for power in range(math.ceil(low), math.floor(high) + 1):
            x = area.left() + (power - low) / max(high - low, 1e-6) * area.width()
            painter.setPen(QPen(grey(t.line), 1))
            painter.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()))
            painter.setPen(grey(t.quiet_text))
            text = QRectF(x - 40, area.bottom() + 4, 80, 16)
            painter.drawText(text, Qt.AlignmentFlag.AlignHCenter, size_text(1 << power))
        places = [self.place(number) for number in range(len(self.points))]
        painter.setPen(QPen(grey(t.strong_line), 1.4))
        for one, other in pairwise(places):
            painter.drawLine(one, other)
        for number, at in enumerate(places):
            is_current = number == self.current
            painter.setPen(QPen(grey(t.text), 2 if is_current else 1))
            painter.setBrush(grey(t.text if is_current else t.panel))
            painter.drawEllipse(at, DOT_PX + 2 * is_current, DOT_PX + 2 * is_current)
        painter.setBrush(Qt.BrushStyle.NoBrush)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        at = event.position()
        near = [((self.place(n) - at).manhattanLength(), n) for n in range(len(self.points))]
        if near and min(near)[0] < NEAR_PX:
            self.chosen.emit(min(near)[1])

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        if step is not None and self.points:
            self.chosen.emit(min(max(self.current + step, 0), len(self.points) - 1))
        else:
            super().keyPressEvent(event)


class SearchPage(QWidget):
    """`look_wanted` gives what is to be seen: the result under the conditions of the point that is chosen."""

    look_wanted = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.found: Found | None = None
        self._sheet, self._channels = "", tuple[str, ...]()
        self.start = QPushButton("Search")
        self.start.setToolTip(
            "Tries formats and sizes of every map that is not held, by what they do to the results of all variants"
        )
        self.start.clicked.connect(self.search)
        self.ceiling = NumberRow("At most", 0.05, 8, "ΔE00", 2, TIP)
        self.ceiling.show_value(1.0)
        self.cheapest = QPushButton("Cheapest")
        self.cheapest.setToolTip("The cheapest set whose error stays under this")
        self.cheapest.clicked.connect(self._take_cheapest)
        self.budget = NumberRow("Budget", 0.1, 256, "MiB", 1, "Bytes of all maps with their levels.")
        self.budget.show_value(8.0)
        self.best = QPushButton("Best")
        self.best.setToolTip("The set with the least error that fits into this")
        self.best.clicked.connect(self._take_best)
        self.told = label("Which maps may be smaller, and by how much? Search tries them, by what is seen.", "quiet")
        self.packings = QCheckBox("Packings, too")
        self.packings.setToolTip(
            "Tries planes of four and of three, regions that touch apart, and edge pairs; takes longer"
        )
        self.plot = FrontPlot()
        self.plot.chosen.connect(self.choose)
        self.maps = ShortList("Maps of the chosen point", 96)
        self.maps.setFixedWidth(LIST_PX)
        self.maps.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.maps.setFixedHeight(16_777_215)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(8, 6, 8, 6)
        whole.setSpacing(6)
        whole.addLayout(row(self.start, self.ceiling, self.cheapest, self.budget, self.best))
        whole.addLayout(row(self.told, self.packings, stretch=0))
        below = QHBoxLayout()
        below.setSpacing(8)
        below.addWidget(self.plot, 1)
        below.addWidget(self.maps)
        whole.addLayout(below, 1)
        self._tell(-1)

    def search(self) -> None:
        """Search on a worker, for all variants."""
        at, sheets = self.session.at, self.session.sheets
        variants, packings = list(at.kit.variant_names), self.packings.isChecked()

        def work(progress: Progress, cancel: CancelToken) -> Found:
            layouts = layouts_of(at, sheets) if packings else ()
            return search(at, sheets, variants, None, progress, cancel, layouts)

        def done(found: Found) -> None:
            self.found, self._sheet, self._channels = found, at.key, at.sheet.channel_order
            self._tell(-1)

        self.told.setText("Searching …")
        self.session.jobs.run("Search", work, done, self.told.setText, place="proof search")

    def choose(self, number: int) -> None:
        """Take the conditions of a point; they are seen at once."""
        if self.found is None or self._sheet != self.session.at.key:
            self.session.notice.emit("That was found for another sheet; search again.")
            return
        point = self.found.points[number]
        conditions, layout = self.found.conditions(point), point.layout
        self.session.do(commands.set_conditions(self._sheet, conditions, layout.packing, layout.channels))
        self._tell(number)
        self.look_wanted.emit(Look("runtime", self.session.variant))

    def _take_cheapest(self) -> None:
        if self.found is not None:
            self._take(self.found.within_error(self.ceiling.value()), "No set is that good.")

    def _take_best(self) -> None:
        if self.found is not None:
            self._take(self.found.within_bytes(round(self.budget.value() * MIB)), "No set is that small.")

    def _take(self, point: Point | None, told: str) -> None:
        if self.found is None or point is None:
            self.told.setText(told)
            return
        self.choose(self.found.points.index(point))
        self.session.end_merge()

    def _tell(self, number: int) -> None:
        points = self.found.points if self.found else ()
        self.plot.show_points(points, number)
        for button in (self.cheapest, self.best):
            button.setEnabled(bool(points))
        self.maps.clear()
        if not points:
            return
        if number < 0:
            self.told.setText(f"{len(points)} sets that none undercuts. Click one to see it.")
            return
        point, at = points[number], self.session.at
        packed = PACKINGS[point.layout.packing]
        apart = ", regions that touch apart" if point.layout.channels != self._channels else ""
        taken = size_text(point.choice.bytes)
        self.told.setText(f"{taken}, off by {point.error:.2f} in the worst variant and output. {packed}{apart}.")
        try:
            there = shipped(at, self.session.sheets)
        except NotReady:
            return
        for name, option in point.choice.maps.items():
            own = option.conditions
            width, height = sizes_of(own, there.facts[name])[0]
            told = f"{map_label(at, there, name)} · {own.format} · {width} × {height} · {size_text(option.bytes)}"
            self.maps.addItem(told)
