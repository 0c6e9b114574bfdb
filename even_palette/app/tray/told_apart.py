"""Whether variants, or instances, can be told apart, also by eyes with a deficiency; colours spread apart."""

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QListWidgetItem, QPushButton, QVBoxLayout, QWidget

from even_palette.app.controls import Fold, ShortList, choice, label, offer, row, show_choice
from even_palette.app.jobs import Rank
from even_palette.app.number import NumberRow
from even_palette.app.session import Session
from even_palette.app.tray.colour_bars import ColourBars
from even_palette.app.tray.colour_plot import ColourPlot
from even_palette.core.arrays import Floats, float32
from even_palette.core.colour.deficiency import VISIONS, seen_with
from even_palette.core.colour.srgb import srgb_to_linear
from even_palette.core.jobs import CancelToken, Progress
from even_palette.core.kit import commands
from even_palette.core.kit.model import Focus
from even_palette.core.kit.scene import Scene
from even_palette.core.lineup.apart import Pair, least_difference, spread_apart
from even_palette.core.material.model import Colour, ValueKind
from even_palette.core.material.variants import resolve_all
from even_palette.core.results.colour_spread import counted, instances_shown, mean_colours, told_apart, variants_shown

ALL = "All regions together"
MOST_SHOWN = 40
SOON_MS = 120


@dataclass(frozen=True)
class _Seen:
    """Names of what is shown, mean colours in each region that counts (n, r, 3), and pairs by how close they are."""

    names: list[str]
    colours: Floats
    pairs: list[Pair]


class ToldApart(Fold):
    """Mean colours of regions over the variants, or over the instances of the scene that is chosen; the closest pairs;
    and what is asked for of variants.
    """

    def __init__(self, session: Session) -> None:
        super().__init__("Told apart")
        self.session = session
        self.seen: _Seen | None = None
        self.proposed: dict[str, Colour] = {}
        self._shown: tuple[Focus | None, Scene | None] = (None, None)
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(SOON_MS)
        self._soon.timeout.connect(self._look)
        self.region = choice("Region whose colours are compared", [])
        self.region.setToolTip("Two variants are as far apart as in the region where they differ most")
        self.region.activated.connect(lambda _: self._soon.start())
        self.vision = choice("Seen by", [(name, key) for key, name in VISIONS.items()])
        self.vision.setToolTip("How the plot shows the colours")
        self.vision.activated.connect(lambda _: self._show_pair())
        self.severity = NumberRow("Severity", 0, 1, "", 2, "Of colour-vision deficiencies: 1 for no cones of a kind.")
        self.severity.changed.connect(self._ask)
        self.least = NumberRow("At least", 0, 40, "ΔE", 1, "Pairs that lie closer are findings; 0 asks for nothing.")
        self.least.changed.connect(self._ask)
        for number in (self.severity, self.least):
            number.finished.connect(session.end_merge)
        self.plot = ColourPlot()
        self.bars = ColourBars()
        self.who = label("", "quiet")
        self.list = ShortList("Closest pairs", 108)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.currentRowChanged.connect(lambda _: self._show_pair())
        self.parameter = choice("Parameter that is spread", [])
        self.reach = NumberRow("Reach", 0.02, 1, "", 2, "How far each channel of a colour may move, as encoded.")
        self.reach.show_value(0.35)
        self.spread = QPushButton("Spread apart")
        self.spread.setToolTip("Looks for colours of all variants that differ more, for all eyes; shows them first")
        self.spread.clicked.connect(self._spread)
        self.take = QPushButton("Take")
        self.take.clicked.connect(self._take)
        self.told = label("", "quiet")
        for widget in (
            self.who, self.region, self.vision, self.severity, self.least, self.plot, self.bars, self.list,
        ):  # fmt: skip
            self.column.addWidget(widget)
        self.spreading = QWidget()
        below = QVBoxLayout(self.spreading)
        below.setContentsMargins(0, 0, 0, 0)
        below.setSpacing(6)
        below.addWidget(label("Spread a colour over the variants", "section"))
        below.addWidget(self.parameter)
        below.addWidget(self.reach)
        below.addLayout(row(self.spread, self.take))
        below.addWidget(self.told)
        self.column.addWidget(self.spreading)
        self.take.setEnabled(False)
        self.head.clicked.connect(self.follow)
        session.shown_changed.connect(self.follow)
        session.view.scene_changed.connect(self.follow)

    def follow(self) -> None:
        """Show what the kit that is ready has."""
        at = self.session.shown
        if at is None or not self.isVisible() or self.body.isHidden():
            return
        offer(
            self.region,
            [(ALL, ""), *((region.name, region.key) for region in at.sheet.regions)],
            self.region.currentData() or "",
        )
        colours = [(p.name, p.key) for p in at.kit.parameters if p.kind == ValueKind.COLOUR]
        offer(self.parameter, colours, self.parameter.currentData())
        self.severity.show_value(at.kit.apart.severity)
        self.least.show_value(at.kit.apart.least)
        self.spread.setEnabled(len(at.kit.variants) > 1 and bool(colours))
        scene = self._scene(at)
        for widget in (self.spreading, self.least):
            widget.setVisible(scene is None)
        if self._shown != (at, scene):
            self._soon.start()

    def _scene(self, at: Focus) -> Scene | None:
        key = self.session.view.state.scene
        return next((scene for scene in at.whole.scenes if scene.key == key), None)

    def _look(self) -> None:
        at = self.session.shown
        if at is None:
            return
        chosen, sheets = self.region.currentData() or "", self.session.sheets
        regions = [chosen] if chosen else [region.key for region in at.sheet.regions]
        scene, time = self._scene(at), self.session.view.state.time
        self._shown = at, scene

        def work(progress: Progress, cancel: CancelToken) -> _Seen:
            shown = variants_shown(at) if scene is None else instances_shown(at, scene, time)
            shown = shown[1:] if scene is None and len(shown) > 2 else shown
            colours = mean_colours(at, sheets, shown, regions, cancel)
            return _Seen([each.name for each in shown], colours, told_apart(colours, at.kit.apart.severity))

        self.session.jobs.run("Colours of variants", work, self._show, self.session.notice.emit, rank=Rank.CHECK,
                              place="told apart")  # fmt: skip

    def _show(self, seen: _Seen) -> None:
        self.seen = seen
        name = self.session.at.sheet.name
        many = f"{len(seen.names)} {'variants' if self._shown[1] is None else 'instances'}"
        self.who.setText(f"{many}, as {name} has them" if seen.names else f"Nothing that stands here lies on {name}.")
        chosen = max(self.list.currentRow(), 0)
        self.list.blockSignals(True)
        self.list.clear()
        for pair in seen.pairs[:MOST_SHOWN]:
            eyes = list(VISIONS)[pair.differences.index(pair.least)]
            by = "" if eyes == "normal" else f" ({VISIONS[eyes].lower()})"
            both = f"{seen.names[pair.one]} · {seen.names[pair.other]}"
            item = QListWidgetItem(f"{pair.least:.1f}   {both}{by}")
            each = [f"{name}: {value:.1f}" for name, value in zip(VISIONS.values(), pair.differences, strict=True)]
            item.setToolTip("\n".join([both, *each]))
            self.list.addItem(item)
        self.list.setCurrentRow(min(chosen, self.list.count() - 1))
        self.list.blockSignals(False)
        self._show_pair()

    def _show_pair(self) -> None:
        seen, at = self.seen, self.list.currentRow()
        if seen is None or not seen.colours.size:
            self.plot.show_colours([], np.zeros((0, 3), np.float32))
            self.bars.show_counts(counted(np.zeros((0, 3), np.float32)))
            return
        pair = seen.pairs[at] if 0 <= at < len(seen.pairs) else None
        apart = seen.colours[pair.one] - seen.colours[pair.other] if pair else np.zeros_like(seen.colours[0])
        region = int(np.abs(apart).sum(axis=-1).argmax())
        means = seen_with(
            seen.colours[:, region], self.vision.currentData() or "normal", self.session.kit.apart.severity
        )
        self.plot.show_colours(seen.names, float32(means), (pair.one, pair.other) if pair else None)
        self.bars.show_counts(counted(float32(means)))

    def _ask(self, _: float) -> None:
        self.session.do(commands.set_told_apart(self.least.value(), self.severity.value()))

    def _spread(self) -> None:
        kit, key, reach = self.session.kit, self.parameter.currentData(), self.reach.value()
        if key is None:
            return
        settings = resolve_all(kit.parameters, kit.variants)
        variants = [variant.key for variant in kit.variants]
        given = float32([settings[variant][key] for variant in variants])
        severity = kit.apart.severity

        def work(progress: Progress, cancel: CancelToken) -> tuple[Floats, float, float]:
            found = spread_apart(given, reach, severity, 0, progress, cancel)
            return found, least_difference(given, severity), least_difference(found, severity)

        def done(made: tuple[Floats, float, float]) -> None:
            found, before, after = made
            self.proposed = {
                variant: (float(r), float(g), float(b)) for variant, (r, g, b) in zip(variants, found, strict=True)
            }
            show_choice(self.parameter, key)
            self.take.setEnabled(after > before + 0.05)
            name = kit.parameter(key).name
            self.told.setText(f"{name}: at least {before:.1f} ΔE between any two now, {after:.1f} when taken.")
            self.plot.show_colours([kit.variant_names[each] for each in variants], srgb_to_linear(found))

        self.session.jobs.run("Spread apart", work, done, self.session.notice.emit)

    def _take(self) -> None:
        if self.proposed and self.session.do(commands.set_in_variants(self.parameter.currentData(), self.proposed)):
            self.take.setEnabled(False)
            self.told.setText("")
