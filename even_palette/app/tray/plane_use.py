"""Choosing a plane that a coat reads: which one, its channel, and how its values are used."""

from msgspec.structs import replace
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QComboBox, QVBoxLayout, QWidget

from even_palette.app.controls import Fold, choice, offer, row, show_choice
from even_palette.app.number import NumberRow
from even_palette.core.kit.model import Focus
from even_palette.core.limits import MOST_GRID
from even_palette.core.material.declare import Reads
from even_palette.core.material.model import PlaneKind, PlaneRef, PlaneUse
from even_palette.core.raster.guess import Role
from even_palette.core.raster.sampling import Filter, Wrap

CHANNELS: list[tuple[str, object]] = [("R", 0), ("G", 1), ("B", 2), ("A", 3)]
FILTERS: list[tuple[str, object]] = [("Linear", Filter.LINEAR), ("Nearest", Filter.NEAREST)]
WRAPS: list[tuple[str, object]] = [("Clamp", Wrap.CLAMP), ("Repeat", Wrap.REPEAT), ("Mirror", Wrap.MIRROR)]


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
    """`changed` gives the new use, None for no plane; `finished` where a step of the history ends."""

    changed = pyqtSignal(object)
    finished = pyqtSignal()

    def __init__(self, name: str, nothing: str, reads: Reads = Reads.VALUE, lies: bool = True) -> None:
        """`reads` is what the plane is read as; where it `lies` over the sheet it can be tiled, turned and moved."""
        super().__init__()
        self._reads = reads
        self._use: PlaneUse | None = None
        self._nothing = nothing
        self.plane = choice(name, [])
        self.channel = choice(f"Channel of {name}", CHANNELS)
        self.channel.setFixedWidth(52)
        self.low = NumberRow("Low", 0, 1, "", 2, "The value that counts as 0")
        self.high = NumberRow("High", 0, 1, "", 2, "The value that counts as 1")
        self.power = NumberRow("Power", 0.1, 8, "", 2, "Above 1 darkens the middle, below 1 lightens it")
        self.filter = choice(f"Filter of {name}", FILTERS)
        self.wrap = choice(f"Wrap of {name}", WRAPS)
        self.invert = QCheckBox("Inverted")
        self.invert.setAccessibleName(f"{name} inverted")
        self.columns = NumberRow("Columns", 1, MOST_GRID, "", 0, "Cells beside each other in the atlas")
        self.rows = NumberRow("Rows", 1, MOST_GRID, "", 0, "Cells below each other in the atlas")
        self.cells = NumberRow("Cells", 0, MOST_GRID**2, "", 0, "How many of them there are; 0 for all of the grid")
        self.tiles = NumberRow("Tiles", 0.1, 64, "×", 2, "How often it lies over the sheet")
        self.turn = NumberRow("Turn", -180, 180, "°", 1, "How far it is turned about the middle of the sheet")
        self.moves = [
            NumberRow(f"Moves {way}", -2, 2, "/s", 2, f"How many of its own sizes it goes {way} in a second")
            for way in ("right", "down")
        ]
        self.placement = Fold("Tiled, turned, moving")
        for part in (self.tiles, self.turn, *self.moves):
            self.placement.column.addWidget(part)
        self.more = QWidget()
        column = QVBoxLayout(self.more)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        for widget in (self.low, self.high, self.power, self.columns, self.rows, self.cells):
            column.addWidget(widget)
        column.addLayout(row(self.filter, self.wrap, self.invert))
        column.addWidget(self.placement)
        self.placement.setVisible(lies and reads in (Reads.VALUE, Reads.COLOUR))
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(4)
        whole.addLayout(row(self.plane, self.channel, stretch=0))
        whole.addWidget(self.more)
        self.plane.activated.connect(lambda i: self._choose(self.plane.itemData(i)))
        self.channel.activated.connect(lambda i: self._change(channel=self.channel.itemData(i)))
        self.filter.activated.connect(lambda i: self._change(filter=self.filter.itemData(i)))
        self.wrap.activated.connect(lambda i: self._change(wrap=self.wrap.itemData(i)))
        self.invert.clicked.connect(lambda on: self._change(invert=bool(on)))
        plain = (("low", self.low), ("high", self.high), ("power", self.power), ("turn", self.turn))
        for field, number in plain:
            number.changed.connect(lambda value, field=field: self._change(**{field: value}))
        self.tiles.changed.connect(self._tile)
        for part in self.moves:
            part.changed.connect(lambda _: self._change(speed=(self.moves[0].value(), self.moves[1].value())))
        for part in (self.columns, self.rows, self.cells):
            part.changed.connect(lambda _: self._cut())
        for number in (*(number for _, number in plain), self.tiles, *self.moves, self.columns, self.rows, self.cells):
            number.finished.connect(self.finished)

    def show_use(self, at: Focus, use: PlaneUse | None) -> None:
        """Show what is used, and offer what the sheet has."""
        self._use = use
        offer(self.plane, [(self._nothing, None), *planes_of(at)], use.plane if use else None)
        self.channel.setEnabled(use is not None)
        self.more.setVisible(use is not None)
        self.channel.setVisible(self._reads in (Reads.VALUE, Reads.INDEX))
        for widget in (self.low, self.high, self.power, self.invert):
            widget.setVisible(self._reads == Reads.VALUE)
        self.filter.setVisible(self._reads in (Reads.VALUE, Reads.COLOUR))
        self.wrap.setVisible(self._reads != Reads.ATLAS)
        for number in (self.columns, self.rows, self.cells):
            number.setVisible(self._reads == Reads.ATLAS)
        if use is None:
            return
        show_choice(self.channel, use.channel)
        show_choice(self.filter, use.filter)
        show_choice(self.wrap, use.wrap)
        self.invert.setChecked(use.invert)
        for number, value in (
            (self.low, use.low), (self.high, use.high), (self.power, use.power), (self.turn, use.turn),
            (self.tiles, use.tiling[0]), (self.moves[0], use.speed[0]), (self.moves[1], use.speed[1]),
            (self.columns, use.grid[0]), (self.rows, use.grid[1]), (self.cells, use.cells),
        ):  # fmt: skip
            number.show_value(value)

    def _choose(self, ref: PlaneRef | None) -> None:
        if ref is None:
            self.changed.emit(None)
        else:
            self.changed.emit(replace(self._use, plane=ref) if self._use else PlaneUse(ref))

    def _tile(self, times: float) -> None:
        """As often down as across; what is tiled repeats."""
        wrap = Wrap.REPEAT if self._use is not None and self._use.wrap == Wrap.CLAMP else None
        self._change(tiling=(times, times), **({"wrap": wrap} if wrap else {}))

    def _cut(self) -> None:
        columns, rows = int(self.columns.value()), int(self.rows.value())
        self._change(grid=(columns, rows), cells=min(int(self.cells.value()), columns * rows))

    def _change(self, **fields: object) -> None:
        if self._use is not None:
            self.changed.emit(replace(self._use, **fields))
