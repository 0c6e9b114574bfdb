"""Regions from the ID map: its colours, a colour by hex, and IDs taken from another mesh."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QLineEdit, QListWidgetItem, QPushButton, QVBoxLayout, QWidget

from even_palette.app import plain
from even_palette.app.controls import Fold, ShortList, choice, label, row, show_choice, swatch_icon, tool
from even_palette.app.number import NumberRow
from even_palette.app.session import Session
from even_palette.core.colour.hexcode import Rgb8, format_hex, parse_hex
from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.kit.model import Focus
from even_palette.core.raster.guess import Role
from even_palette.core.regions.id_colours import IdColours
from even_palette.core.results.bakes import known_bake
from even_palette.core.results.dividing import take_ids
from even_palette.core.results.id_map import known_id_colours


class IdColoursTab(QWidget):
    """A click on the sheet makes a region of the ID colour there."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.found = ShortList("ID colours of the map", 122, many=True)
        self.found.itemActivated.connect(self._make)
        self.make_button = QPushButton("Make regions of the selected")
        self.make_button.clicked.connect(lambda: self._make())
        self.give_button = QPushButton("Give to region")
        self.give_button.setToolTip("The selected region takes in these colours as well")
        self.give_button.clicked.connect(self._give)
        self.dissolve_button = QPushButton("Dissolve")
        self.dissolve_button.setToolTip("Texels of these colours go to the colours around them")
        self.dissolve_button.clicked.connect(self._dissolve)
        self.found_label = label("", "quiet")
        self.hex = QLineEdit()
        self.hex.setPlaceholderText("#rrggbb")
        self.hex.setAccessibleName("ID colour by hex")
        self.hex.returnPressed.connect(self._by_hex)
        add = tool("Make region of hex", "plus", "Make a region of this colour")
        add.clicked.connect(self._by_hex)
        recolour = tool("Use hex as ID colour", "target", "Give the selected region this ID colour")
        recolour.clicked.connect(self._change_colour)
        self.keyed = QCheckBox("Selected region takes in its ID colour")
        self.keyed.setToolTip("Without, the region holds only its elements and boxes")
        self.keyed.clicked.connect(lambda on: session.do(commands.set_keyed(session.region, on)))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addWidget(self.found, 10)
        column.addWidget(self.found_label)
        column.addWidget(self.make_button)
        column.addLayout(row(self.give_button, self.dissolve_button))
        column.addLayout(row(self.hex, add, recolour, stretch=0))
        column.addWidget(self.keyed)
        column.addWidget(self._another_mesh())
        column.addStretch(1)

    def _another_mesh(self) -> Fold:
        fold = Fold("From another mesh")
        self.by = choice(
            "Parts of the other mesh", [("By its material slots", "slots"), ("By vertex colours", "colours")]
        )
        self.limit = NumberRow("Limit", 0.1, 50, "%", 1, "The farthest that the other mesh may be, of the diagonal.")
        self.limit.show_value(2.0)
        self.take_button = QPushButton("Take region IDs")
        self.take_button.clicked.connect(self._take)
        self.taken = label("Open the other mesh in Source and call it a reference.", "quiet")
        for widget in (self.by, self.limit, self.take_button, self.taken):
            fold.column.addWidget(widget)
        return fold

    def _colours(self) -> IdColours | None:
        at = self.session.shown
        try:
            return known_id_colours(at, self.session.sheets) if at else None
        except UserError:
            return IdColours((), 0)

    def refresh(self) -> None:
        """Show the ID colours of the map."""
        at, listed = self.session.at, self._colours()
        colours = listed or IdColours((), 0)
        names = {colour: region.name for region in at.sheet.regions for colour in region.id_colours}
        names.update(dict.fromkeys(at.sheet.unmix.dissolved if at.sheet.unmix else (), "dissolved"))
        selected = {item.data(Qt.ItemDataRole.UserRole) for item in self.found.selectedItems()}
        self.found.clear()
        for colour in colours.colours:
            text = (
                f"{format_hex(colour.levels)}   {colour.texels / colours.texels:6.2%}   {names.get(colour.levels, '')}"
            )
            item = QListWidgetItem(swatch_icon(colour.levels), text)
            item.setData(Qt.ItemDataRole.UserRole, colour.levels)
            item.setToolTip(plain.tip(f"{colour.texels} texels"))
            self.found.addItem(item)
            item.setSelected(colour.levels in selected)
        if colours.colours:
            self.found_label.setText(
                f"{len(colours.colours)} colours, {colours.stray_share:.2%} stray (soft edges, noise)"
            )
        elif listed is None:
            self.found_label.setText("The colours are being listed …")
        else:
            self.found_label.setText("There is no painted ID map; open one in Source, or use Elements.")
        region = next((r for r in at.sheet.regions if r.key == self.session.region), None)
        self.give_button.setEnabled(region is not None and at.sheet.unmix is not None)
        self.dissolve_button.setEnabled(at.sheet.unmix is not None)
        self.keyed.setEnabled(region is not None)
        self.keyed.setChecked(region is not None and region.keyed)
        there = any(mesh.reference for mesh in at.kit.meshes)
        self.take_button.setEnabled(there)
        self._show_taken(at, there)

    def _show_taken(self, at: Focus, there: bool) -> None:
        if not there:
            self.taken.setText("Open the other mesh in Source and call it a reference.")
            return
        if not at.sheet.id_bake:
            self.taken.setText("The slots or colours of the reference become an ID map of this sheet.")
            return
        bake = at.sheet.bake(at.sheet.id_bake)
        show_choice(self.by, bake.values.get("by", "slots"))
        if at.sheet.source(Role.ID):
            self.taken.setText("The painted ID map is used; remove it in Source to use the IDs of the other mesh.")
        elif self.session.shown is at and (made := known_bake(at, self.session.sheets, bake)):
            share = made.missed_texels / max(1, made.covered_texels)
            self.taken.setText(
                f"{made.missed_texels:,} of {made.covered_texels:,} texels found nothing ({share:.2%}); "
                "they are grey in ID colours."
            )

    def _take(self) -> None:
        at = self.session.at
        by, limit = self.by.currentData(), self.limit.value() / 100
        self.session.do_made("Take region IDs", lambda: take_ids(at, self.session.sheets, by, limit))

    def _make(self, item: QListWidgetItem | None = None) -> None:
        items = [item] if item else self.found.selectedItems()
        self.make_regions([chosen.data(Qt.ItemDataRole.UserRole) for chosen in items])

    def _selected(self) -> list[Rgb8]:
        return [item.data(Qt.ItemDataRole.UserRole) for item in self.found.selectedItems()]

    def _give(self) -> None:
        if colours := self._selected():
            self.session.do(commands.give_colours(self.session.region, colours))

    def _dissolve(self) -> None:
        if colours := self._selected():
            self.session.do(commands.dissolve_colours(self.session.at.key, colours))

    def make_regions(self, colours: list[Rgb8]) -> None:
        """Make regions of ID colours, and select the last."""
        if colours and self.session.do(commands.add_regions(self.session.at.key, colours)):
            self.session.select(self.session.at.sheet.regions[-1].key)

    def pick(self, colour: Rgb8) -> None:
        """A click on the sheet: the ID colour that this texel belongs to."""
        listed = (self._colours() or IdColours((), 0)).colours
        near = min(listed, key=lambda c: max(abs(a - b) for a, b in zip(c.levels, colour, strict=True)), default=None)
        chosen = near.levels if near else colour
        have = {region.id_colour: region.key for region in self.session.at.sheet.regions}
        if chosen in have:
            self.session.select(have[chosen])
        else:
            self.make_regions([chosen])
        self.hex.setText(format_hex(chosen))

    def _by_hex(self) -> None:
        if colour := self._hex_colour():
            self.make_regions([colour])

    def _change_colour(self) -> None:
        if (colour := self._hex_colour()) and self.session.region:
            self.session.do(commands.set_id_colour(self.session.region, colour))

    def _hex_colour(self) -> Rgb8 | None:
        try:
            return parse_hex(self.hex.text())
        except ValueError as error:
            self.session.notice.emit(str(error))
            return None
