"""The palettes of the kit: rows of entries, ordered, merged, split and coloured in place."""

from collections.abc import Callable
from functools import partial
from pathlib import Path

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QScrollArea, QToolButton, QVBoxLayout, QWidget

from even_palette.app.controls import choice, give_menu, label, offer, patterns, tool
from even_palette.app.ledge.palette_grid import PaletteGrid
from even_palette.app.session import Session
from even_palette.app.swatch.editor import SwatchEditor
from even_palette.app.theme import set_icon
from even_palette.core.colour.hexcode import format_hex
from even_palette.core.colour.swatches import SUFFIXES, Swatch, read_swatches, write_swatches
from even_palette.core.disk.gate import read_bytes
from even_palette.core.disk.whole import write_whole
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken, Progress
from even_palette.core.kit import commands
from even_palette.core.kit.commands import Command
from even_palette.core.kit.sheet import Tone
from even_palette.core.material.model import Colour
from even_palette.core.raster.files import read_plane, write_plane
from even_palette.core.raster.formats import OFFERED
from even_palette.core.raster.plane import Encoding, Plane, rgb_of
from even_palette.core.results.looks import Look
from even_palette.core.results.picture_analysis import entry_counts
from even_palette.core.results.planes import entry_numbers
from even_palette.core.tones.palette import (
    Palette,
    PaletteRow,
    levels_of_colours,
    merged,
    new_palette,
    permuted,
    read_strip,
    row_along,
    row_from_picture,
    shifted_row,
    split,
    strip_of,
)
from even_palette.core.tones.ramp import ramp_strip

MOST_TEXT = 1 << 20
STRIPS = f"Pictures and lists ({patterns((*OFFERED, *SUFFIXES))})"


class PalettePage(QWidget):
    """`look_wanted` gives a look at where an entry occurs."""

    look_wanted = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.box = choice("Palette", [])
        self.box.activated.connect(lambda i: self._choose(palette=str(self.box.itemData(i)), row=0, entry=0))
        self.grid = PaletteGrid()
        self.grid.chosen.connect(lambda row, entry: self._choose(row=row, entry=entry))
        self.grid.moved.connect(self._move)
        self.told = label("", "quiet")
        self.told.setWordWrap(True)
        self.swatch = SwatchEditor("Entry", session)
        self.swatch.changed.connect(self._recolour)
        self.swatch.finished.connect(session.end_merge)
        self.swatch.pick.hide()
        self.entries = self._menu(
            "Entries", "list",
            {
                "Order by lightness": partial(self._order, "lightness"), "Order by hue": partial(self._order, "hue"),
                "Order along a chain": partial(self._order, "chain"), "Merge with the next": self._merge,
                "Split": self._split, "Remove unused": self._remove_unused,
                "Keep in new fits, or not": self._keep, "Show where it occurs": self._show_entry,
            },
        )  # fmt: skip
        self.rows = self._menu(
            "Rows", "rows",
            {
                "Copy this row": self._copy_row, "Shifted row: half a turn of hue": partial(self._shift, 0.5, 1, 0),
                "Shifted row: a sixth of hue": partial(self._shift, 1 / 6, 1, 0),
                "Shifted row: darker, at night": partial(self._shift, 0.0, 0.6, -0.25),
                "Row along the chosen ramp": self._along_ramp, "Row from another picture …": self._from_picture,
                "Remove this row": self._remove_row,
            },
        )  # fmt: skip
        self.files = self._menu(
            "Files", "folder-open",
            {
                "Open strip or list …": self._open, "Write strip …": partial(self._write, "strip.png"),
                "Write list …": partial(self._write, "colours.txt"),
            },
        )  # fmt: skip
        self.remove = tool("Remove palette", "trash", "Take this palette away")
        self.remove.clicked.connect(lambda: session.do(commands.remove_palette(self.key)))
        left = QVBoxLayout()
        left.setContentsMargins(0, 0, 0, 0)
        left.setSpacing(6)
        top = QHBoxLayout()
        top.addWidget(self.box, 1)
        top.addWidget(self.remove)
        left.addLayout(top)
        for button in (self.entries, self.rows, self.files):
            left.addWidget(button)
        left.addWidget(self.told)
        left.addStretch(1)
        side = QWidget()
        side.setFixedWidth(172)
        side.setLayout(left)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setWidget(self.grid)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        scroll.setProperty("imageArea", True)
        swatch = QScrollArea()
        swatch.setWidgetResizable(True)
        swatch.setWidget(self.swatch)
        swatch.setFrameShape(QScrollArea.Shape.NoFrame)
        swatch.setFixedWidth(244)
        swatch.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(8, 6, 8, 6)
        whole.setSpacing(8)
        whole.addWidget(side)
        whole.addWidget(scroll, 1)
        whole.addWidget(swatch)
        for signal in (session.changed, session.view.toning_changed, session.shown_changed):
            signal.connect(self.follow)

    def _menu(self, name: str, icon: str, actions: dict[str, Callable[[], object]]) -> QToolButton:
        button = QToolButton()
        button.setText(name)
        set_icon(button, icon)
        button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        button.setFixedWidth(166)
        give_menu(button, actions)
        return button

    # What is chosen

    @property
    def key(self) -> str:
        """The key of the chosen palette; "" where there is none."""
        keys = [palette.key for palette in self.session.kit.palettes]
        chosen = self.session.view.state.toning.palette
        return chosen if chosen in keys else next(iter(keys), "")

    @property
    def palette_(self) -> Palette | None:
        """The chosen palette."""
        return self.session.kit.palette(self.key) if self.key else None

    @property
    def place(self) -> tuple[int, int]:
        """The numbers of the chosen row and entry."""
        toning, palette = self.session.view.state.toning, self.palette_
        if palette is None:
            return 0, 0
        return min(toning.row, len(palette.rows) - 1), min(toning.entry, palette.size - 1)

    @property
    def index(self) -> Tone | None:
        """The first index map of the sheet in front that is made by the palette."""
        return next((tone for tone in self.session.at.sheet.tones if tone.palette == self.key), None)

    def _choose(self, **fields: object) -> None:
        self.session.view.change_toning(**fields)
        if self.session.view.state.look.kind == "entry":
            self._show_entry()

    def showEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().showEvent(event)
        self.follow()

    def follow(self) -> None:
        """Show the kit's palettes, if this can be seen."""
        if not self.isVisible():
            return
        palette = self.palette_
        offer(self.box, [(each.name, each.key) for each in self.session.kit.palettes], self.key)
        row, entry = self.place
        self.grid.show_palette(palette, row, entry)
        for widget in (self.box, self.entries, self.rows, self.remove, self.swatch):
            widget.setEnabled(palette is not None)
        if palette is None:
            self.told.setText("No palette yet. Extract one in the tray, or open a strip.")
            return
        colour = palette.rows[row].colours[entry]
        kept = ", kept in new fits" if palette.fitted[entry] in palette.kept else ""
        self.told.setText(f"Entry {entry} of {palette.size}{kept}. {format_hex(colour)}")
        red, green, blue = (level / 255 for level in colour)
        self.swatch.show_colour((red, green, blue))

    # What is done

    def _change(self, label_: str, change: Callable[[Palette], Palette], merge: str = "") -> bool:
        try:
            return self.session.do(commands.change_palette(self.key, label_, change, merge))
        except UserError as error:
            self.session.notice.emit(str(error))
            return False

    def _recolour(self, colour: Colour) -> None:
        row, entry = self.place
        red, green, blue = (round(255 * part) for part in colour)

        def change(palette: Palette) -> Palette:
            old = palette.rows[row]
            colours = (*old.colours[:entry], (red, green, blue), *old.colours[entry + 1 :])
            rows = (*palette.rows[:row], replace(old, colours=colours), *palette.rows[row + 1 :])
            return replace(palette, rows=rows)

        self._change("Recolour entry", change, f"entry {self.key} {row} {entry}")

    def _move(self, held: int, over: int) -> None:
        palette = self.palette_
        assert palette is not None
        order = list(range(palette.size))
        order.insert(over, order.pop(held))
        if self._change("Move entry", lambda old: permuted(old, order)):
            self._choose(entry=over)

    def _order(self, by: str) -> None:
        key, palette = self.key, self.palette_
        assert palette is not None

        def make() -> Command:
            from even_palette.core.tones.palette_fit import Order, order_of

            order = order_of(levels_of_colours(palette.fitted), Order(by))
            return commands.change_palette(key, f"Order by {by}", lambda old: permuted(old, order))

        self.session.do_made("Ordering entries", make)

    def _merge(self) -> None:
        palette, (_, entry) = self.palette_, self.place
        assert palette is not None
        if entry + 1 < palette.size:
            self._change("Merge entries", lambda old: merged(old, entry, entry + 1))

    def _split(self) -> None:
        palette, (_, entry) = self.palette_, self.place
        assert palette is not None
        red, green, blue = palette.fitted[entry]
        apart = (
            (max(0, red - 8), max(0, green - 8), max(0, blue - 8)),
            (min(255, red + 8), min(255, green + 8), min(255, blue + 8)),
        )
        self._change("Split entry", lambda old: split(old, entry, apart))

    def _remove_unused(self) -> None:
        at, key = self.session.at, self.key
        tones = [(sheet.key, tone) for sheet in at.kit.sheets for tone in sheet.tones if tone.palette == key]
        if not tones:
            self.session.notice.emit("No index map is made by this palette, so nothing tells which entries are used.")
            return

        def make() -> Command:
            lists = [entry_counts(at.kit.at(sheet), self.session.sheets, tone) for sheet, tone in tones]
            used = [entry for entry in range(len(lists[0])) if any(counts[entry] for counts in lists)]
            return commands.change_palette(key, "Remove unused entries", lambda old: permuted(old, used))

        self.session.do_made("Counting entries", make)

    def _keep(self) -> None:
        palette, (_, entry) = self.palette_, self.place
        assert palette is not None
        colour = palette.fitted[entry]
        kept = tuple(c for c in palette.kept if c != colour)
        kept = kept if colour in palette.kept else (*palette.kept, colour)
        self._change("Keep entry" if colour in kept else "Let entry go", lambda old: replace(old, kept=kept))

    def _show_entry(self) -> None:
        tone = self.index
        if tone is None:
            self.session.notice.emit("No index map of this sheet is made by this palette.")
            return
        self.look_wanted.emit(Look("entry", map=tone.key, entry=self.place[1]))

    def _add_row(self, row: PaletteRow) -> None:
        palette = self.palette_
        assert palette is not None
        names = [each.name for each in palette.rows]
        name = row.name if row.name not in names else f"{row.name} {len(names) + 1}"
        if self._change("Add row", lambda old: replace(old, rows=(*old.rows, replace(row, name=name)))):
            self._choose(row=len(palette.rows))

    def _row(self) -> PaletteRow:
        palette = self.palette_
        assert palette is not None
        return palette.rows[self.place[0]]

    def _copy_row(self) -> None:
        self._add_row(self._row())

    def _shift(self, hue: float, saturation: float, lightness: float) -> None:
        self._add_row(shifted_row(self._row(), "Shifted", hue, saturation, lightness))

    def _along_ramp(self) -> None:
        toning = self.session.view.state.toning
        ramp = next((each for each in self.session.kit.ramps if each.key == toning.ramp), None)
        ramp = ramp or next(iter(self.session.kit.ramps), None)
        if ramp is None:
            self.session.notice.emit("There is no ramp yet; add one under Ramps.")
            return
        strip = ramp_strip(ramp)[min(toning.ramp_row, len(ramp.rows) - 1)]
        self._add_row(row_along(self._row(), ramp.name, strip))

    def _from_picture(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Another picture of the same shapes", "", STRIPS)
        if name:
            self.row_from(Path(name))

    def row_from(self, path: Path) -> None:
        """Add a row of the colours that another picture has where each entry occurs."""
        at, tone, key = self.session.at, self.index, self.key
        palette = self.palette_
        if tone is None or palette is None:
            self.session.notice.emit("No index map of this sheet is made by this palette.")
            return

        def make() -> Command:
            rgb = np.ascontiguousarray(rgb_of(read_plane(path, Encoding.SRGB).levels8()))
            row = row_from_picture(palette, path.stem, entry_numbers(at, self.session.sheets, tone), rgb)
            return commands.change_palette(key, "Row from picture", lambda old: replace(old, rows=(*old.rows, row)))

        self.session.do_made("Reading the picture", make)

    def _remove_row(self) -> None:
        palette, (row, _) = self.palette_, self.place
        assert palette is not None
        if len(palette.rows) == 1:
            self.session.notice.emit("A palette has at least one row.")
            return
        self._change("Remove row", lambda old: replace(old, rows=(*old.rows[:row], *old.rows[row + 1 :])))

    def _open(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Open strip or list", "", STRIPS)
        if name:
            self.open_file(Path(name))

    def open_file(self, path: Path) -> None:
        """Add the palette of a strip, or of a text of hex values."""

        def make() -> Command:
            if path.suffix.lower() in SUFFIXES:
                text = read_bytes(path, MOST_TEXT).decode("utf-8", "replace")
                try:
                    entries = levels_of_colours([swatch.colour for swatch in read_swatches(text)])
                except UserError as error:
                    raise UserError(f"{path.name}: {error}") from None
                return commands.add_palette(new_palette("palette", path.stem, entries, "As read"))
            try:
                strip = read_strip(rgb_of(read_plane(path, Encoding.SRGB).levels8()))
            except UserError as error:
                raise UserError(f"{path.name}: {error}") from None
            return commands.add_palette(new_palette("palette", path.stem, strip, "As read"))

        def done(command: Command) -> None:
            if self.session.do(command):
                self._choose(palette=self.session.kit.palettes[-1].key, row=0, entry=0)

        self.session.jobs.run("Opening", lambda progress, cancel: make(), done, self.session.notice.emit)

    def _write(self, name: str) -> None:
        chosen, _ = QFileDialog.getSaveFileName(self, "Write palette", name)
        if chosen:
            self.write_to(Path(chosen))

    def write_to(self, path: Path) -> None:
        """Write the strip with all rows as a picture, or the chosen row as a text of hex values."""
        palette, row = self.palette_, self._row()
        assert palette is not None

        def work(progress: Progress, cancel: CancelToken) -> None:
            if path.suffix.lower() in SUFFIXES:
                write_whole(path, write_swatches(map(Swatch, row.colours)).encode())
            else:
                write_plane(path, Plane(strip_of(palette), Encoding.SRGB))

        self.session.jobs.run(
            "Writing", work, lambda _: self.session.notice.emit(f"Written: {path}."), self.session.notice.emit
        )
