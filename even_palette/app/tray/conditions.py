"""What the runtime does to the maps of the sheet in front: a preset of the trade, and single maps that differ."""

from functools import partial
from pathlib import Path
from typing import Any

from msgspec.structs import replace
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QFileDialog,
    QListWidgetItem,
    QPushButton,
    QSizePolicy,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from even_palette.app.controls import ShortList, choice, give_menu, label, offer, row, show_choice
from even_palette.app.session import Session
from even_palette.app.tray.presets import PresetRow
from even_palette.core.disk.gate import size_text
from even_palette.core.jobs import CancelToken, Progress
from even_palette.core.kit import commands
from even_palette.core.kit.model import Focus
from even_palette.core.proof.conditions import (
    HALF,
    MOST_SMALLER,
    PLAIN,
    Beyond,
    Conditions,
    MapConditions,
    MapFacts,
    Mips,
    ReadAs,
    Use,
    conditions_of,
    formats_for,
)
from even_palette.core.raster.formats import TEXTURES
from even_palette.core.raster.sampling import Filter
from even_palette.core.results.proof import Shipped, map_bytes, map_label, shipped
from even_palette.core.results.proof_files import write_textures

MIPS = {
    Mips.LINEAR: "in linear light", Mips.ENCODED: "of encoded values", Mips.NORMALS: "of length 1 again",
    Mips.FREQUENT: "the most frequent entry", Mips.FILE: "those of its file", Mips.NONE: "none",
}  # fmt: skip
FILTERS: list[tuple[str, object]] = [
    ("as it is meant", None), ("linear", Filter.LINEAR), ("nearest", Filter.NEAREST),
]  # fmt: skip
READ: list[tuple[str, object]] = [
    ("as it is meant", ReadAs.MEANT), ("as sRGB colour", ReadAs.SRGB), ("without decoding", ReadAs.DATA),
]  # fmt: skip
BEYOND: list[tuple[str, object]] = [
    ("as it is meant", None), ("the edge goes on", Beyond.CLAMP), ("it repeats", Beyond.REPEAT),
]  # fmt: skip
SAMPLES, BIASES = (1, 2, 4, 8, 16), (-1.0, -0.5, 0.0, 0.5, 1.0)
LABEL_PX = 64


class ConditionsPart(QWidget):
    """A line a map; the chosen one is set below. `slot` is its name, `found` the maps as they ship."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.slot = ""
        self.found: Shipped | None = None
        self.preset = PresetRow(session)
        self.told = label("", "quiet")
        self.list = ShortList("Maps", 168)
        self.list.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.currentItemChanged.connect(self._choose)
        self.total = label("", "section")
        self.format = choice("Format", [])
        self.format.setToolTip("How texels are stored. Blocks lose: see what of it reaches the result")
        self.format.activated.connect(lambda i: self._change(format=self.format.itemData(i)))
        self.side = choice("Size", [])
        self.side.activated.connect(lambda i: self._change(smaller=self.side.itemData(i)))
        self.mips = choice("Levels", [])
        self.mips.setToolTip("How the smaller levels are made")
        self.mips.activated.connect(lambda i: self._change(mips=self.mips.itemData(i)))
        self.filter = choice("Filter", FILTERS)
        self.filter.activated.connect(lambda i: self._change(filter=self.filter.itemData(i)))
        self.wrap = choice("Beyond", BEYOND)
        self.wrap.setToolTip("What the runtime finds beyond the edges of the map")
        self.wrap.activated.connect(lambda i: self._change(wrap=self.wrap.itemData(i)))
        self.slant = choice("Slanted", [])
        self.slant.setToolTip("How many samples a look-up takes at the most where the map is seen at a slant")
        self.slant.activated.connect(lambda i: self._change(anisotropy=self.slant.itemData(i)))
        self.bias = choice("Bias", [])
        self.bias.setToolTip("How many levels smaller is read, or larger: less shimmer, or more detail")
        self.bias.activated.connect(lambda i: self._change(bias=self.bias.itemData(i)))
        self.read_as = choice("Read", READ)
        self.read_as.setToolTip("Whether the runtime decodes it; a wrong flag is the usual mistake")
        self.read_as.activated.connect(lambda i: self._change(read_as=self.read_as.itemData(i)))
        self.held = QCheckBox("Held in searches")
        self.held.setToolTip("A search leaves this map as it is")
        self.held.clicked.connect(self._hold)
        self.reset = QPushButton("As the preset says")
        self.reset.clicked.connect(self._reset)
        self.write = QToolButton()
        self.write.setText("Write textures")
        self.write.setToolTip("Every map of this sheet in its format, with all levels, one file a texture")
        self.write.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        give_menu(self.write, {f"As {suffix[1:].upper()} …": partial(self._ask, suffix) for suffix in TEXTURES})
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(self.preset)
        column.addWidget(self.told)
        column.addWidget(self.list)
        column.addWidget(self.total)
        for name, box in (("Format", self.format), ("Size", self.side), ("Levels", self.mips),
                          ("Filter", self.filter), ("Beyond", self.wrap), ("Slanted", self.slant),
                          ("Bias", self.bias), ("Read", self.read_as)):  # fmt: skip
            text = label(name)
            text.setFixedWidth(LABEL_PX)
            column.addLayout(row(text, box, stretch=1))
        column.addWidget(self.held)
        column.addLayout(row(self.reset, self.write))

    @property
    def _conditions(self) -> Conditions:
        return self.session.at.sheet.conditions

    def refresh(self, at: Focus) -> None:
        """Show the maps of a sheet as they ship, and what is done to them. Raises NotReady."""
        self.found = found = shipped(at, self.session.sheets)
        conditions = self._conditions
        self.preset.refresh(found.facts)
        self.told.setText(self.preset.told)
        told = map_bytes(found, conditions)
        if self.slot not in told:
            self.slot = next(iter(found.names), "")
        texts = []
        for name in found.names:
            own, taken = told[name]
            mark = " ·" if name in conditions.maps else ""
            texts.append((name, f"{map_label(at, found, name)} · {_format(own)} · {size_text(taken)}{mark}"))
        self.list.show_keyed(texts, self.slot)
        size = size_text(sum(taken for _, taken in told.values()))
        self.total.setText(f"{len(told)} textures, {found.look_ups} look-ups, {found.operations} operations, {size}")
        self.total.setToolTip("With all levels; look-ups and operations are those of a pixel, for all outputs")
        self._show_map(found, conditions)

    def _show_map(self, found: Shipped, conditions: Conditions) -> None:
        facts = found.facts.get(self.slot)
        for box in (self.format, self.side, self.mips, self.filter, self.wrap, self.slant, self.bias, self.read_as):
            box.setEnabled(facts is not None)
        self.reset.setEnabled(self.slot in conditions.maps)
        self.held.setChecked(self.slot in conditions.held)
        if facts is None:
            return
        own = conditions_of(conditions, self.slot, facts)
        offer(self.format, [(_name(each), each) for each in formats_for(facts)], own.format)
        most = 0 if facts.use == Use.STRIP else min(MOST_SMALLER, max(facts.width, facts.height).bit_length() - 1)
        sizes = [(f"{max(1, facts.width >> n)} × {max(1, facts.height >> n)}", n) for n in range(most + 1)]
        offer(self.side, sizes, own.smaller)
        offer(self.mips, [(MIPS[each], each) for each in _mips_for(facts)], own.mips)
        show_choice(self.filter, own.filter)
        show_choice(self.wrap, own.wrap)
        samples = sorted({*SAMPLES, own.anisotropy})
        offer(self.slant, [(f"{most} samples" if most > 1 else "one sample", most) for most in samples], own.anisotropy)
        biases = sorted({*BIASES, own.bias})
        offer(self.bias, [(f"{bias:+g} levels" if bias else "none", bias) for bias in biases], own.bias)
        show_choice(self.read_as, own.read_as)

    # What is done

    def _choose(self, item: QListWidgetItem | None) -> None:
        if item is not None and self.found is not None:
            self.slot = item.data(Qt.ItemDataRole.UserRole)
            self._show_map(self.found, self._conditions)

    def _set(self, conditions: Conditions) -> None:
        self.session.do(commands.set_conditions(self.session.at.key, conditions))
        self.session.end_merge()

    def _change(self, **fields: Any) -> None:
        if self.found is None or self.slot not in self.found.facts:
            return
        own: MapConditions = conditions_of(self._conditions, self.slot, self.found.facts[self.slot])
        maps = {**self._conditions.maps, self.slot: replace(own, **fields)}
        self._set(replace(self._conditions, maps=maps))

    def _hold(self, on: bool) -> None:
        others = [name for name in self._conditions.held if name != self.slot]
        self._set(replace(self._conditions, held=tuple([*others, self.slot] if on else others)))

    def _ask(self, suffix: str) -> None:
        name = QFileDialog.getExistingDirectory(self, "Folder for the textures")
        if name:
            self.write_textures(Path(name), suffix)

    def write_textures(self, folder: Path, suffix: str) -> None:
        """Write the maps of the sheet in front into a folder, on a worker."""
        at, session = self.session.at, self.session

        def work(progress: Progress, cancel: CancelToken) -> dict[Path, int]:
            return write_textures(at, session.sheets, folder, suffix, progress, cancel)

        def done(written: dict[Path, int]) -> None:
            told = f"Wrote {len(written)} textures, {size_text(sum(written.values()))}, into {folder.name}."
            session.notice.emit(told)

        session.jobs.run("Write textures", work, done, session.notice.emit)

    def _reset(self) -> None:
        maps = {name: own for name, own in self._conditions.maps.items() if name != self.slot}
        self._set(replace(self._conditions, maps=maps))


def _name(each: str) -> str:
    return {PLAIN: "texels as they are", HALF: "half floats"}.get(each, each)


def _format(own: MapConditions) -> str:
    smaller = f" ÷ {1 << own.smaller}" if own.smaller else ""
    flag = " ⚑" if own.read_as != ReadAs.MEANT else ""
    return f"{own.format}{smaller}{flag}"


def _mips_for(facts: MapFacts) -> list[Mips]:
    """How levels of a map may be made."""
    if not facts.has_mips:
        return [Mips.NONE]
    found = [Mips.LINEAR, *([Mips.ENCODED] if facts.is_srgb else [])]
    found += [Mips.NORMALS] if facts.use == Use.NORMAL else []
    found += [Mips.FREQUENT] if facts.use == Use.INDEX else []
    found += [Mips.FILE] if facts.own_levels else []
    return [*found, Mips.NONE]
