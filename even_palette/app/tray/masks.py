"""Stage 3, Masks: how the ID map is keyed, how overlaps are resolved, and coverage."""

from msgspec.structs import replace
from PyQt6.QtCore import pyqtBoundSignal
from PyQt6.QtWidgets import QCheckBox, QGridLayout, QLabel, QVBoxLayout, QWidget

from even_palette.app import plain
from even_palette.app.controls import Fold, choice, label, offer, row, show_choice, tool
from even_palette.app.number import NumberRow
from even_palette.app.panel import Panel
from even_palette.app.session import Session
from even_palette.app.tray.histogram import LineHistogram
from even_palette.app.tray.steps import StepsList
from even_palette.core.errors import NotReady
from even_palette.core.kit import commands
from even_palette.core.kit.sheet import Region, Unmix
from even_palette.core.limits import MOST_MIP
from even_palette.core.raster.guess import Role
from even_palette.core.regions.keying import Metric
from even_palette.core.regions.unmix import Mixing
from even_palette.core.regions.weights import Resolve
from even_palette.core.results.id_map import has_masks, id_distances_of, known_id_colours
from even_palette.core.results.looks import Look
from even_palette.core.results.weights import weights_of

MOST_TOLERANCE = 255
SIDES = (512, 1024, 2048, 4096, 8192)


class MasksPanel(Panel):
    """How the ID map is keyed and overlaps are resolved; the steps of the selected region."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Masks", "")
        self.keying = choice(
            "How the ID map is keyed",
            [("Unmix: shares of nearby colours", True), ("By tolerances of each region", False)],
        )
        self.keying.activated.connect(lambda i: self._set_unmix(Unmix() if self.keying.itemData(i) else None))
        self.mixing = choice(
            "How edges are mixed",
            [("Mixing found by itself", Mixing.FOUND), ("Mixed as encoded", Mixing.ENCODED),
             ("Mixed in linear light", Mixing.LINEAR)],
        )  # fmt: skip
        self.mixing.activated.connect(lambda i: self._change_unmix(mixing=self.mixing.itemData(i)))
        self.lossy = QCheckBox("From a lossy file (JPEG)")
        self.lossy.setToolTip("Finds the true ID colours first, and allows for the errors of block compression")
        self.lossy.clicked.connect(lambda on: self._change_unmix(lossy=on))
        self.region_box = choice("Region", [])
        self.region_box.activated.connect(lambda i: session.select(self.region_box.itemData(i)))
        self.inner = NumberRow("Inner", 0, MOST_TOLERANCE, "levels", 0, "Up to this distance a texel is wholly inside.")
        self.outer = NumberRow("Outer", 0, MOST_TOLERANCE, "levels", 0, "From this distance on a texel is outside.")
        for number in (self.inner, self.outer):
            number.changed.connect(self._set_tolerance)
            number.finished.connect(session.end_merge)
        self.distance = choice(
            "Distance", [("Largest channel (Chebyshev)", Metric.CHEBYSHEV), ("Euclidean", Metric.EUCLIDEAN)]
        )
        self.distance.activated.connect(
            lambda i: session.do(commands.set_metric(session.region, self.distance.itemData(i)))
        )
        self.resolve = choice(
            "Overlaps", [("Share: in proportion", Resolve.SHARE), ("Order: upper wins", Resolve.ORDER)]
        )
        self.resolve.activated.connect(
            lambda i: session.do(commands.set_resolve(session.at.key, self.resolve.itemData(i)))
        )
        self.side = choice("Size of the masks", [("As the base colour", 0), *((f"{n} wide", n) for n in SIDES)])
        self.side.setToolTip("How fine the masks are, and the weights that ship; an ID map has the size that it has")
        self.side.activated.connect(lambda i: session.do(commands.set_mask_side(session.at.key, self.side.itemData(i))))
        self.view = choice(
            "Show",
            [("This region's weight", "weight"), ("Sum of masks", "mask_sum"), ("ID colours", "id_colours")],
        )
        self.view.activated.connect(lambda _: self.show_look())
        self.steps = StepsList(session)
        self.steps.chosen.connect(self.step_chosen)
        self.figures = QGridLayout()
        self.figures.setHorizontalSpacing(12)
        self._values: dict[str, QLabel] = {}
        for index, (key, text) in enumerate(
            (
                ("covered", "Covered"),
                ("partly", "Partly covered"),
                ("over", "Claimed more than once"),
                ("empty", "Base alone"),
                ("stray", "Stray colours"),
            )
        ):
            self.figures.addWidget(label(text), index, 0)
            value = plain.Label("–")
            self._values[key] = value
            self.figures.addWidget(value, index, 1)
        self.figures.setColumnStretch(0, 1)
        self.by_unmixing, self.by_tolerances = QWidget(), QWidget()
        _stack(self.by_unmixing, self.mixing, self.lossy)
        self.histogram = LineHistogram(
            "Distances to the ID colour",
            "How many texels are how far from the ID colour. Drag the lines: white is wholly in, black is out",
        )
        self.histogram.dragged.connect(self._drag_tolerances)
        self.histogram.dropped.connect(session.end_merge)
        _stack(self.by_tolerances, self.histogram, self.inner, self.outer, self.distance)
        told = "Strokes of others do not touch what it has, and it comes first where masks overlap (Ctrl+K)"
        self.lock = tool("Lock region", "lock-simple", told)
        self.lock.setCheckable(True)
        self.lock.clicked.connect(lambda on: session.do(commands.set_locked(session.region, on)))
        self.column.addWidget(self.keying)
        self.column.addWidget(self.by_unmixing)
        self.column.addLayout(row(self.region_box, self.lock, stretch=0))
        self.column.addWidget(self.by_tolerances)
        self.column.addLayout(row(label("Overlaps"), self.resolve, stretch=1))
        self.column.addLayout(row(label("Size"), self.side, stretch=1))
        self.column.addLayout(row(label("Show"), self.view, stretch=1))
        self.column.addWidget(label("Steps of this region", "section"))
        self.column.addWidget(self.steps)
        self.coverage = Fold("Coverage of the sheet")
        self.coverage.column.addLayout(self.figures)
        self.mip = NumberRow("Lowest mip", 0, MOST_MIP, "", 0, "Checks look at the mips of the sheet down to this one")
        self.mip.changed.connect(lambda v: session.do(commands.set_lowest_mip(session.at.key, round(v))))
        self.mip.finished.connect(session.end_merge)
        self.coverage.column.addWidget(self.mip)
        self.coverage.column.addWidget(
            label("In the sum, blue is not fully claimed, grey is exactly one, orange is claimed twice.", "quiet")
        )
        self.column.addWidget(self.coverage)
        self.column.addStretch(1)

    def region(self) -> Region | None:
        """The region that is selected."""
        return self.session.chosen_region

    def refresh(self) -> None:
        at, region = self.session.at, self.region()
        offer(self.region_box, [(each.name, each.key) for each in at.sheet.regions], self.session.region)
        self.lock.setEnabled(region is not None)
        self.lock.setChecked(region is not None and region.locked)
        for widget in (self.region_box, self.inner, self.outer, self.distance):
            widget.setEnabled(region is not None)
        unmix, there = at.sheet.unmix, at.sheet.source(Role.ID) is not None or bool(at.sheet.id_bake)
        self.keying.setVisible(there)
        show_choice(self.keying, unmix is not None)
        self.by_unmixing.setVisible(there and unmix is not None)
        self.by_tolerances.setVisible(there and unmix is None)
        if unmix is not None:
            show_choice(self.mixing, unmix.mixing)
            self.lossy.setChecked(unmix.lossy)
        if region:
            self.inner.show_value(region.inner)
            self.outer.show_value(region.outer)
            show_choice(self.distance, region.metric)
            if unmix is None and there:
                self._show_histogram(region)
        show_choice(self.resolve, at.sheet.resolve)
        self.side.setEnabled(not there)
        show_choice(self.side, at.sheet.mask_side)
        self.mip.show_value(at.sheet.lowest_mip)
        self.steps.refresh()
        self._show_figures()

    def _show_figures(self) -> None:
        at = self.session.shown
        if at is None or not at.sheet.regions or not has_masks(at, self.session.sheets):
            for value in self._values.values():
                value.setText("–")
            self.coverage.head.setText("Coverage of the sheet")
            return
        seen, colours = weights_of(at, self.session.sheets).coverage, known_id_colours(at, self.session.sheets)
        shares = {
            "covered": seen.covered,
            "partly": 1 - seen.covered - seen.empty,
            "over": seen.over,
            "empty": seen.empty,
        }
        for key, share in shares.items():
            self._values[key].setText(f"{share:.2%}")
        self.coverage.head.setText(f"Coverage of the sheet: {seen.covered:.2%}")
        self._values["stray"].setText(f"{colours.stray_share:.2%}" if colours else "…")

    @property
    def followed(self) -> tuple[pyqtBoundSignal, ...]:
        session = self.session
        return session.shown_changed, session.selection_changed, session.results.colours_listed

    def follow_painter(self) -> None:
        if self.isVisible():
            self.steps.follow_step()

    def choose_step(self, number: int) -> None:
        self.steps.choose(number)

    def show_look(self) -> None:
        """Ask the stand for the look that is chosen here."""
        kind = self.view.currentData()
        self.look_wanted.emit(Look(kind, region=self.session.region if kind == "weight" else ""))

    def follow_look(self, look: Look) -> None:
        """Show what the stand looks at, if it is one of the choices."""
        show_choice(self.view, look.kind)

    def _set_unmix(self, unmix: Unmix | None) -> None:
        if (self.session.at.sheet.unmix is None) != (unmix is None):
            self.session.do(commands.set_unmix(self.session.at.key, unmix))

    def _change_unmix(self, **fields: object) -> None:
        unmix = self.session.at.sheet.unmix
        if unmix is not None:
            self.session.do(commands.set_unmix(self.session.at.key, replace(unmix, **fields)))

    def _show_histogram(self, region: Region) -> None:
        try:
            counts = id_distances_of(self.session.at, self.session.sheets, region)
        except NotReady as missing:
            self.session.results.make(missing)
            counts = None
        self.histogram.show_counts(counts, region.inner, region.outer)

    def _drag_tolerances(self, inner: float, outer: float) -> None:
        if self.session.region:
            self.session.do(commands.set_tolerance(self.session.region, inner, outer))

    def _set_tolerance(self) -> None:
        region = self.region()
        if region is None:
            return
        inner, outer = self.inner.value(), self.outer.value()
        if inner != region.inner and inner > outer:
            outer = inner
        elif outer < inner:
            inner = outer
        self.session.do(commands.set_tolerance(region.key, inner, outer))


def _stack(part: QWidget, *widgets: QWidget) -> None:
    """Widgets below each other in a part of the panel that is shown or not."""
    column = QVBoxLayout(part)
    column.setContentsMargins(0, 0, 0, 0)
    column.setSpacing(8)
    for widget in widgets:
        column.addWidget(widget)
