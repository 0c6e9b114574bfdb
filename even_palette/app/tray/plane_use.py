"""Choosing a plane that a coat reads: which one, its channel, and how its values are used."""

from msgspec.structs import replace
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QComboBox, QVBoxLayout, QWidget

from even_palette.app.number import NumberRow
from even_palette.app.tray.panel import choice, row, show_choice
from even_palette.core.kit.model import Focus
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
        self.blockSignals(True)
        self.clear()
        self.addItem("None", None)
        for name, ref in strips_of(at, self._kinds):
            self.addItem(name, ref)
        self.blockSignals(False)
        show_choice(self, use.plane if use else None)


class PlaneUseEditor(QWidget):
    """`changed` gives the new use, None for no plane; `finished` where a step of the history ends."""

    changed = pyqtSignal(object)
    finished = pyqtSignal()

    def __init__(self, name: str, nothing: str, index: bool = False) -> None:
        super().__init__()
        self._index = index
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
        self.invert = QCheckBox("Turned round")
        self.invert.setAccessibleName(f"{name} turned round")
        self.more = QWidget()
        column = QVBoxLayout(self.more)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        for widget in (self.low, self.high, self.power):
            column.addWidget(widget)
        column.addLayout(row(self.filter, self.wrap, self.invert))
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
        for field, number in (("low", self.low), ("high", self.high), ("power", self.power)):
            number.changed.connect(lambda value, field=field: self._change(**{field: value}))
            number.finished.connect(self.finished)

    def show_use(self, at: Focus, use: PlaneUse | None) -> None:
        """Show what is used, and offer what the sheet has."""
        self._use = use
        self.plane.blockSignals(True)
        self.plane.clear()
        self.plane.addItem(self._nothing, None)
        for name, ref in planes_of(at):
            self.plane.addItem(name, ref)
        self.plane.blockSignals(False)
        show_choice(self.plane, use.plane if use else None)
        self.channel.setEnabled(use is not None)
        self.more.setVisible(use is not None)
        for widget in (self.low, self.high, self.power, self.filter, self.invert):
            widget.setVisible(not self._index)
        if use is None:
            return
        show_choice(self.channel, use.channel)
        show_choice(self.filter, use.filter)
        show_choice(self.wrap, use.wrap)
        self.invert.setChecked(use.invert)
        for number, value in ((self.low, use.low), (self.high, use.high), (self.power, use.power)):
            number.show_value(value)

    def _choose(self, ref: PlaneRef | None) -> None:
        if ref is None:
            self.changed.emit(None)
        else:
            self.changed.emit(replace(self._use, plane=ref) if self._use else PlaneUse(ref))

    def _change(self, **fields: object) -> None:
        if self._use is not None:
            self.changed.emit(replace(self._use, **fields))
