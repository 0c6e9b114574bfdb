"""Choosing a plane that a coat reads: which one, its channel, and how its values are used."""

from collections.abc import Collection

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import QCheckBox, QComboBox, QMenu, QToolButton, QVBoxLayout, QWidget

from even_palette.app import plain
from even_palette.app.controls import Fold, choice, offer, row, show_choice, tool
from even_palette.app.number import NumberRow
from even_palette.app.stand.renderer import to_image
from even_palette.app.tray.histogram import LineHistogram
from even_palette.core.kit.model import Focus
from even_palette.core.limits import MOST_GRID
from even_palette.core.material.declare import Reads
from even_palette.core.material.model import PlaneKind, PlaneRef, PlaneUse
from even_palette.core.material.plane_numbers import NUMBERS, PlaneNumber
from even_palette.core.raster.guess import Role
from even_palette.core.raster.sampling import Filter, Wrap
from even_palette.core.results.plane_facts import PlaneFacts

CHANNELS: list[tuple[str, object]] = [("R", 0), ("G", 1), ("B", 2), ("A", 3)]
FILTERS: list[tuple[str, object]] = [("Linear", Filter.LINEAR), ("Nearest", Filter.NEAREST)]
WRAPS: list[tuple[str, object]] = [("Clamp", Wrap.CLAMP), ("Repeat", Wrap.REPEAT), ("Mirror", Wrap.MIRROR)]

FACTS_PX = 56
REACH = {
    "power": (0.1, 8.0), "turn": (-180.0, 180.0),
    **dict.fromkeys(("tiling_across", "tiling_down"), (0.1, 64.0)),
    **dict.fromkeys(("speed_across", "speed_down"), (-2.0, 2.0)),
}  # fmt: skip
"""How far a hand goes with a number, where that is less than what it may be."""


def pictures_of(at: Focus, tones: list[str] | None = None) -> list[tuple[str, object]]:
    """The planes that a tone can be made of: maps, bakes, and of the tones those with these keys."""
    keys = [tone.key for tone in at.sheet.tones] if tones is None else tones
    return [(name, ref) for name, ref in planes_of(at) if ref.kind != PlaneKind.TONE or ref.key in keys]


def strips_of(at: Focus, kinds: tuple[PlaneKind, ...]) -> list[tuple[str, object]]:
    """The palettes and ramps that a coat can look up in."""
    found: list[tuple[str, object]] = []
    if PlaneKind.RAMP in kinds:
        found += [(f"Ramp · {ramp.name}", PlaneRef(PlaneKind.RAMP, ramp.key)) for ramp in at.kit.ramps]
    if PlaneKind.PALETTE in kinds:
        found += [(f"Palette · {each.name}", PlaneRef(PlaneKind.PALETTE, each.key)) for each in at.kit.palettes]
    return found


def planes_of(at: Focus) -> list[tuple[str, PlaneRef]]:
    """Every plane of a sheet that a coat can read, with its name."""
    found = []
    for source in at.sheet.sources:
        name = source.key.replace("_", " ") if source.role == Role.NONE else str(source.role)
        found.append((f"Map · {name}", PlaneRef(PlaneKind.MAP, source.key)))
    found += [(f"Bake · {bake.key.replace('_', ' ')}", PlaneRef(PlaneKind.BAKE, bake.key)) for bake in at.sheet.bakes]
    found += [(f"Tone · {tone.name}", PlaneRef(PlaneKind.TONE, tone.key)) for tone in at.sheet.tones]
    return found


class StripBox(QComboBox):
    """A choice of the strip that a coat looks up in; `changed` gives its use, None for none."""

    changed = pyqtSignal(object)
    finished = pyqtSignal()

    def __init__(self, name: str, kinds: tuple[PlaneKind, ...]) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self._kinds = kinds
        self.activated.connect(lambda i: self._choose(self.itemData(i)))

    def _choose(self, ref: PlaneRef | None) -> None:
        self.changed.emit(PlaneUse(ref) if ref else None)
        self.finished.emit()

    def show_use(self, at: Focus, use: PlaneUse | None) -> None:
        """Show what is used, and offer what the kit has."""
        offer(self, [("None", None), *strips_of(at, self._kinds)], use.plane if use else None)


class PlaneUseEditor(QWidget):
    """`changed` gives the new use, None for no plane; `finished` where a step of the history ends.

    `bind_wanted` gives the name of a number that shall follow a parameter, `paint_wanted` asks for a plane to paint.
    """

    changed = pyqtSignal(object)
    finished = pyqtSignal()
    bind_wanted = pyqtSignal(str)
    paint_wanted = pyqtSignal()

    def __init__(
        self, name: str, nothing: str, reads: Reads = Reads.VALUE, lies: bool = True, binds: bool = False
    ) -> None:
        """`reads` is what the plane is read as; where it `lies` over the sheet it can be tiled, turned and moved, and
        where it `binds` the runtime may set its numbers."""
        super().__init__()
        self._reads, self._binds = reads, binds
        self._use: PlaneUse | None = None
        self._nothing = nothing
        self.plane = choice(name, [])
        self.channel = choice(f"Channel of {name}", CHANNELS)
        self.channel.setFixedWidth(52)
        self.numbers = {
            each.name: NumberRow(each.label, *REACH.get(each.name, (each.low, each.high)), each.unit, 2, each.help)
            for each in NUMBERS
        }
        self.picture = plain.Label()
        self.picture.setFixedSize(FACTS_PX, FACTS_PX)
        self.picture.setAccessibleName(f"Picture of {name}")
        self.histogram = LineHistogram(
            f"Values of {name}", "How many texels have which value. Drag the lines: black counts as 0, white as 1",
            FACTS_PX, (0, 255),
        )  # fmt: skip
        self.histogram.dragged.connect(lambda low, high: self._change(low=low / 255, high=high / 255))
        self.histogram.dropped.connect(self.finished)
        self.filter = choice(f"Filter of {name}", FILTERS)
        self.wrap = choice(f"Wrap of {name}", WRAPS)
        self.invert = QCheckBox("Inverted")
        self.invert.setAccessibleName(f"{name} inverted")
        self.columns = NumberRow("Columns", 1, MOST_GRID, "", 0, "Cells beside each other in the atlas")
        self.rows = NumberRow("Rows", 1, MOST_GRID, "", 0, "Cells below each other in the atlas")
        self.cells = NumberRow("Cells", 0, MOST_GRID**2, "", 0, "How many of them there are; 0 for all of the grid")
        self.by_runtime = tool("For the runtime", "link-break", "Make a number of this plane a parameter")
        self.by_runtime.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(self.by_runtime)
        self.actions_by_number = {}
        for each in NUMBERS:
            if binds and (reads == Reads.VALUE or (reads.lies and not each.is_level)):
                action = menu.addAction(f"{each.label} by a parameter")
                assert action is not None
                action.triggered.connect(lambda _, number=each.name: self.bind_wanted.emit(number))
                self.actions_by_number[each.name] = action
        self.by_runtime.setMenu(menu)
        if not self.actions_by_number:
            self.by_runtime.hide()
        self.placement = Fold("Tiled, turned, moving")
        self.more = QWidget()
        column = QVBoxLayout(self.more)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.facts = QWidget()
        beside = row(self.picture, self.histogram, stretch=1)
        beside.setContentsMargins(0, 0, 0, 0)
        self.facts.setLayout(beside)
        column.addWidget(self.facts)
        for each in NUMBERS:
            (column if each.is_level else self.placement.column).addWidget(self.numbers[each.name])
        for widget in (self.columns, self.rows, self.cells):
            column.addWidget(widget)
        column.addLayout(row(self.filter, self.wrap, self.invert, self.by_runtime))
        column.addWidget(self.placement)
        self.placement.setVisible(lies and reads.lies)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(4)
        self.paint = tool("Paint", "paint-brush", "Paint this plane; where it is none to paint, make one")
        self.paint.clicked.connect(self.paint_wanted)
        whole.addLayout(row(self.plane, self.channel, self.paint, stretch=0))
        whole.addWidget(self.more)
        self.plane.activated.connect(lambda i: self._choose(self.plane.itemData(i)))
        self.channel.activated.connect(lambda i: self._change(channel=self.channel.itemData(i)))
        self.filter.activated.connect(lambda i: self._change(filter=self.filter.itemData(i)))
        self.wrap.activated.connect(lambda i: self._change(wrap=self.wrap.itemData(i)))
        self.invert.clicked.connect(lambda on: self._change(invert=bool(on)))
        for each in NUMBERS:
            number = self.numbers[each.name]
            number.changed.connect(lambda value, each=each: self._put(each, value))
        for part in (self.columns, self.rows, self.cells):
            part.changed.connect(lambda _: self._cut())
        for number in (*self.numbers.values(), self.columns, self.rows, self.cells):
            number.finished.connect(self.finished)

    def show_use(self, at: Focus, use: PlaneUse | None, bound: Collection[str] = ()) -> None:
        """Show what is used, and offer what the sheet has; numbers that are `bound` are set elsewhere."""
        self._use = use
        offer(self.plane, [(self._nothing, None), *planes_of(at)], use.plane if use else None)
        self.channel.setEnabled(use is not None)
        self.more.setVisible(use is not None)
        self.channel.setVisible(self._reads in (Reads.VALUE, Reads.INDEX))
        self.paint.setVisible(self._binds and self._reads == Reads.VALUE)
        self.invert.setVisible(self._reads == Reads.VALUE)
        self.facts.setVisible(self._reads == Reads.VALUE and use is not None and not {"low", "high"} & set(bound))
        for each in NUMBERS:
            self.numbers[each.name].setVisible(
                each.name not in bound and (self._reads == Reads.VALUE or not each.is_level)
            )
        for name, action in self.actions_by_number.items():
            action.setVisible(name not in bound)
        self.filter.setVisible(self._reads.lies)
        self.wrap.setVisible(self._reads != Reads.ATLAS)
        for number in (self.columns, self.rows, self.cells):
            number.setVisible(self._reads == Reads.ATLAS)
        if use is None:
            return
        show_choice(self.channel, use.channel)
        show_choice(self.filter, use.filter)
        show_choice(self.wrap, use.wrap)
        self.invert.setChecked(use.invert)
        for each in NUMBERS:
            self.numbers[each.name].show_value(each.get(use))
        for number, value in ((self.columns, use.grid[0]), (self.rows, use.grid[1]), (self.cells, use.cells)):
            number.show_value(value)

    def show_facts(self, facts: PlaneFacts | None) -> None:
        """Show the picture of the channel and its values behind the levels; None while they are made."""
        use = self._use
        if use is None:
            return
        self.histogram.show_counts(facts.counts if facts else None, use.low * 255, use.high * 255)
        if facts is not None:
            image = to_image(np.repeat(facts.picture[..., None], 3, axis=-1))
            self.picture.setPixmap(QPixmap.fromImage(image).scaled(FACTS_PX, FACTS_PX))

    def _choose(self, ref: PlaneRef | None) -> None:
        if ref is None:
            self.changed.emit(None)
        else:
            self.changed.emit(replace(self._use, plane=ref) if self._use else PlaneUse(ref))

    def _put(self, number: PlaneNumber, value: float) -> None:
        """Set a number; tiles go along down where they are alike and set across, and what is tiled repeats."""
        if self._use is None:
            return
        use = number.put(self._use, value)
        if number.name.startswith("tiling"):
            both = number.name == "tiling_across" and self._use.tiling[0] == self._use.tiling[1]
            wrap = Wrap.REPEAT if use.wrap == Wrap.CLAMP else use.wrap
            use = replace(use, tiling=(value, value) if both else use.tiling, wrap=wrap)
        self.changed.emit(use)

    def _cut(self) -> None:
        columns, rows = int(self.columns.value()), int(self.rows.value())
        self._change(grid=(columns, rows), cells=min(int(self.cells.value()), columns * rows))

    def _change(self, **fields: object) -> None:
        if self._use is not None:
            self.changed.emit(replace(self._use, **fields))
