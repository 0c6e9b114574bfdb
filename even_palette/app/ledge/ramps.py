"""The ramps of the kit: rows of stops that are dragged, coloured and eased in place."""

from collections.abc import Callable
from functools import partial
from pathlib import Path

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QScrollArea, QToolButton, QVBoxLayout, QWidget

from even_palette.app.controls import choice, give_menu, label, offer, patterns, row, show_choice, tool
from even_palette.app.ledge.ramp_strip import RampStrip
from even_palette.app.number import NumberRow
from even_palette.app.session import Session
from even_palette.app.swatch.editor import SwatchEditor
from even_palette.app.theme import set_icon
from even_palette.core.arrays import float32
from even_palette.core.colour.srgb import linear_to_srgb
from even_palette.core.kit import commands
from even_palette.core.kit.commands import Command
from even_palette.core.material.model import Colour
from even_palette.core.raster.files import read_plane, write_plane
from even_palette.core.raster.formats import OFFERED
from even_palette.core.raster.plane import Encoding, Plane, rgb_of, to_levels8
from even_palette.core.tones.palette import levels_of_colours
from even_palette.core.tones.ramp import (
    MOST_STOPS,
    Easing,
    Ramp,
    RampRow,
    Space,
    Stop,
    evenly_spaced,
    ramp_colours,
    ramp_strip,
    reversed_row,
    row_of_colours,
    row_of_strip,
)

FEW_STOPS, FEWER = 12, 0.03
"""Of a palette with more entries, so few stops are made that the ramp stays within this OKLab distance."""
SPACES: list[tuple[str, object]] = [
    ("Mix in OKLab", Space.OKLAB), ("Mix in linear light", Space.LINEAR), ("Mix encoded values", Space.ENCODED),
    ("Round the hue, shorter", Space.SHORTER), ("Round the hue, longer", Space.LONGER),
]  # fmt: skip
EASINGS: list[tuple[str, object]] = [
    ("Straight to the next stop", Easing.LINEAR),
    ("Smooth to the next stop", Easing.SMOOTH),
    ("Hold until the next stop", Easing.STEP),
]


class RampPage(QWidget):
    """`line_wanted` asks for a line over the picture, along which a ramp takes its colours."""

    line_wanted = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.box = choice("Ramp", [])
        self.box.activated.connect(lambda i: self._choose(ramp=str(self.box.itemData(i)), ramp_row=0, stop=0))
        self.add_button = tool("Add ramp", "plus", "Add a ramp")
        ways: dict[str, Callable[[], object]] = {
            "From black to white": self._add_plain, "From the chosen palette": self._from_palette,
            "From the region's paint, dark to light": self._from_paint, 
            "Along a line over the picture": self.line_wanted.emit, "From a strip …": self._open,
        }  # fmt: skip
        self.menu = give_menu(self.add_button, ways)
        self.remove = tool("Remove ramp", "trash", "Take this ramp away")
        self.remove.clicked.connect(lambda: session.do(commands.remove_ramp(self.key)))
        self.space = choice("Colours between stops", SPACES)
        self.space.activated.connect(
            lambda i: self._change("Mix ramp otherwise", lambda old: replace(old, space=self.space.itemData(i)))
        )
        self.rows = QToolButton()
        self.rows.setText("Row")
        set_icon(self.rows, "rows")
        self.rows.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        self.rows.setFixedWidth(190)
        of_row: dict[str, Callable[[], object]] = {
            "Copy this row": self._copy_row, "Remove this row": self._remove_row,
            "Space stops evenly": partial(self._change_row, "Space stops evenly", evenly_spaced),
            "Turn round": partial(self._change_row, "Turn ramp round", reversed_row),
            "Mirror the ramp, or not": self._mirror, "Write strip …": self._write,
        }  # fmt: skip
        give_menu(self.rows, of_row)
        self.told = label("", "quiet")
        self.strip = RampStrip()
        self.strip.chosen.connect(lambda row_, stop: self._choose(ramp_row=row_, stop=stop))
        self.strip.dragged.connect(self._drag)
        self.strip.dropped.connect(session.end_merge)
        self.strip.added.connect(self._add_stop)
        self.strip.removed.connect(self._remove_stop)
        self.swatch = SwatchEditor("Stop", session)
        self.swatch.changed.connect(self._recolour)
        self.swatch.finished.connect(session.end_merge)
        self.swatch.pick.hide()
        self.position = NumberRow("Position", 0, 1, "", 3, "Where the stop lies")
        self.position.changed.connect(self._drag)
        self.position.finished.connect(session.end_merge)
        self.easing = choice("Easing", EASINGS)
        self.easing.activated.connect(lambda i: self._change_stop("Ease stop", easing=self.easing.itemData(i)))
        side = QWidget()
        side.setFixedWidth(190)
        left = QVBoxLayout(side)
        left.setContentsMargins(0, 0, 0, 0)
        left.setSpacing(6)
        left.addLayout(row(self.box, self.add_button, self.remove, stretch=0))
        left.addWidget(self.space)
        left.addWidget(self.easing)
        left.addWidget(self.rows)
        left.addWidget(self.told)
        left.addStretch(1)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(self.strip)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        scroll.setProperty("imageArea", True)
        of_stop = QWidget()
        column = QVBoxLayout(of_stop)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(self.position)
        column.addWidget(self.swatch)
        column.addStretch(1)
        right = QScrollArea()
        right.setWidgetResizable(True)
        right.setWidget(of_stop)
        right.setFrameShape(QScrollArea.Shape.NoFrame)
        right.setFixedWidth(256)
        right.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(8, 6, 8, 6)
        whole.setSpacing(8)
        whole.addWidget(side)
        whole.addWidget(scroll, 1)
        whole.addWidget(right)
        for signal in (session.changed, session.view.toning_changed):
            signal.connect(self.follow)

    # What is chosen

    @property
    def key(self) -> str:
        """The key of the chosen ramp; "" where there is none."""
        keys = [ramp.key for ramp in self.session.kit.ramps]
        chosen = self.session.view.state.toning.ramp
        return chosen if chosen in keys else next(iter(keys), "")

    @property
    def ramp(self) -> Ramp | None:
        """The chosen ramp."""
        return self.session.kit.ramp(self.key) if self.key else None

    @property
    def place(self) -> tuple[int, int]:
        """The numbers of the chosen row and stop."""
        toning, ramp = self.session.view.state.toning, self.ramp
        if ramp is None:
            return 0, 0
        at = min(toning.ramp_row, len(ramp.rows) - 1)
        return at, min(toning.stop, len(ramp.rows[at].stops) - 1)

    def _choose(self, **fields: object) -> None:
        self.session.view.change_toning(**fields)

    def showEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().showEvent(event)
        self.follow()

    def follow(self) -> None:
        """Show the kit's ramps, if this can be seen."""
        if not self.isVisible():
            return
        ramp = self.ramp
        offer(self.box, [(each.name, each.key) for each in self.session.kit.ramps], self.key)
        at, stop = self.place
        self.strip.show_ramp(ramp, at, stop)
        for widget in (self.box, self.remove, self.space, self.rows, self.swatch, self.position, self.easing):
            widget.setEnabled(ramp is not None)
        if ramp is None:
            self.told.setText("No ramp yet. Add one with the plus.")
            return
        show_choice(self.space, ramp.space)
        chosen = ramp.rows[at].stops[stop]
        mirrored = ", mirrored" if ramp.mirrored else ""
        self.told.setText(f"Stop {stop + 1} of {len(ramp.rows[at].stops)}{mirrored}.")
        self.position.show_value(chosen.position)
        show_choice(self.easing, chosen.easing)
        red, green, blue = (level / 255 for level in chosen.colour)
        self.swatch.show_colour((red, green, blue))

    # What is done

    def _change(self, label_: str, change: Callable[[Ramp], Ramp], merge: str = "") -> bool:
        return self.session.do(commands.change_ramp(self.key, label_, change, merge))

    def _change_row(self, label_: str, change: Callable[[RampRow], RampRow], merge: str = "") -> bool:
        at, _ = self.place

        def apply(ramp: Ramp) -> Ramp:
            return replace(ramp, rows=(*ramp.rows[:at], change(ramp.rows[at]), *ramp.rows[at + 1 :]))

        return self._change(label_, apply, merge)

    def _change_stop(self, label_: str, merge: str = "", **fields: object) -> None:
        _, stop = self.place

        def change(old: RampRow) -> RampRow:
            return replace(old, stops=(*old.stops[:stop], replace(old.stops[stop], **fields), *old.stops[stop + 1 :]))

        self._change_row(label_, change, merge)

    def _drag(self, position: float) -> None:
        """Move the chosen stop; it stays between its neighbours."""
        ramp, (at, stop) = self.ramp, self.place
        if ramp is None:
            return
        stops = ramp.rows[at].stops
        low = stops[stop - 1].position if stop else 0.0
        high = stops[stop + 1].position if stop + 1 < len(stops) else 1.0
        held = min(max(position, low), high)
        self._change_stop("Move stop", f"stop {self.key} {at} {stop}", position=held)

    def _recolour(self, colour: Colour) -> None:
        at, stop = self.place
        red, green, blue = (round(255 * part) for part in colour)
        self._change_stop("Recolour stop", f"stop colour {self.key} {at} {stop}", colour=(red, green, blue))

    def _add_stop(self, row_: int, position: float) -> None:
        ramp = self.ramp
        assert ramp is not None
        stops = list(ramp.rows[row_].stops)
        if len(stops) >= MOST_STOPS:
            self.session.notice.emit(f"A row has at most {MOST_STOPS} stops.")
            return
        linear = ramp_colours(ramp.rows[row_], float32([position]), ramp.space)
        red, green, blue = (int(level) for level in to_levels8(linear_to_srgb(linear))[0])
        at = sum(stop.position <= position for stop in stops)
        self._choose(ramp_row=row_, stop=at)
        stops.insert(at, Stop(position, (red, green, blue)))
        self._change_row("Add stop", lambda old: replace(old, stops=tuple(stops)))

    def _remove_stop(self) -> None:
        ramp, (at, stop) = self.ramp, self.place
        if ramp is None or len(ramp.rows[at].stops) < 2:
            return
        self._change_row("Remove stop", lambda old: replace(old, stops=(*old.stops[:stop], *old.stops[stop + 1 :])))

    def _copy_row(self) -> None:
        ramp, (at, _) = self.ramp, self.place
        assert ramp is not None
        copied = replace(ramp.rows[at], name=f"{ramp.rows[at].name} {len(ramp.rows) + 1}")
        if self._change("Copy row", lambda old: replace(old, rows=(*old.rows, copied))):
            self._choose(ramp_row=len(ramp.rows))

    def _remove_row(self) -> None:
        ramp, (at, _) = self.ramp, self.place
        assert ramp is not None
        if len(ramp.rows) == 1:
            self.session.notice.emit("A ramp has at least one row.")
            return
        self._change("Remove row", lambda old: replace(old, rows=(*old.rows[:at], *old.rows[at + 1 :])))

    def _mirror(self) -> None:
        self._change("Mirror ramp", lambda old: replace(old, mirrored=not old.mirrored))

    def add(self, row_: RampRow, name: str) -> None:
        """Add a ramp with one row, and choose it."""
        if self.session.do(commands.add_ramp(Ramp("ramp", name, (row_,)))):
            self._choose(ramp=self.session.kit.ramps[-1].key, ramp_row=0, stop=0)

    def _add_plain(self) -> None:
        self.add(RampRow("Row 1", (Stop(0.0, (0, 0, 0)), Stop(1.0, (255, 255, 255)))), "Ramp")

    def _from_palette(self) -> None:
        palettes, toning = self.session.kit.palettes, self.session.view.state.toning
        palette = next((each for each in palettes if each.key == toning.palette), next(iter(palettes), None))
        if palette is None:
            self.session.notice.emit("There is no palette yet; extract one in the tray.")
            return
        chosen = palette.rows[min(toning.row, len(palette.rows) - 1)]
        colours = levels_of_colours(chosen.colours)
        many = len(colours) > FEW_STOPS
        made = row_of_strip(chosen.name, colours, FEWER) if many else row_of_colours(chosen.name, colours)
        self.add(made, palette.name)

    def _from_paint(self) -> None:
        from even_palette.core.results.strips import paint_strip

        at, region = self.session.at, self.session.region
        if not region:
            self.session.notice.emit("No region is selected; its paint gives the colours.")
            return
        name = at.kit.region(region).name

        def make() -> Command:
            found = paint_strip(at, self.session.sheets, region)
            return commands.add_ramp(Ramp("ramp", name, (row_of_strip(name, found),)))

        self.session.do_made("Reading the paint", make)

    def _open(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Open strip", "", f"Pictures ({patterns(OFFERED)})")
        if name:
            self.open_file(Path(name))

    def open_file(self, path: Path) -> None:
        """Add the ramp of a strip: a row for each row of a strip that is less than 33 texels high."""

        def make() -> Command:
            levels = np.ascontiguousarray(rgb_of(read_plane(path, Encoding.SRGB).levels8()))
            lines = levels if len(levels) <= 32 else levels[len(levels) // 2][None]
            different = [line for n, line in enumerate(lines) if n == 0 or not np.array_equal(line, lines[n - 1])]
            rows = tuple(row_of_strip(f"Row {n}", line) for n, line in enumerate(different, 1))
            return commands.add_ramp(Ramp("ramp", path.stem, rows))

        self.session.do_made("Opening strip", make)

    def _write(self) -> None:
        chosen, _ = QFileDialog.getSaveFileName(self, "Write strip", "ramp.png")
        ramp = self.ramp
        if chosen and ramp is not None:
            path = Path(chosen)
            self.session.jobs.run(
                "Writing", lambda progress, cancel: write_plane(path, Plane(ramp_strip(ramp), Encoding.SRGB)),
                lambda _: self.session.notice.emit(f"Written: {path}."), self.session.notice.emit,
            )  # fmt: skip
