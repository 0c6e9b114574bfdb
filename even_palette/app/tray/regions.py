"""Stage 2, Regions: make regions of ID colours and name them."""

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QColor, QIcon, QPixmap
from PyQt6.QtWidgets import QAbstractItemView, QLineEdit, QListWidget, QListWidgetItem, QPushButton

from even_palette.app.session import Session
from even_palette.app.tray.panel import Panel, label, row, tool
from even_palette.core.colour.hexcode import Rgb8, format_hex, parse_hex
from even_palette.core.errors import UserError
from even_palette.core.kit import commands
from even_palette.core.regions.id_colours import IdColours


def colour_icon(levels: Rgb8) -> QIcon:
    pixmap = QPixmap(16, 16)
    pixmap.fill(QColor(format_hex(levels)))
    made = QIcon(pixmap)
    made.addPixmap(pixmap, QIcon.Mode.Selected)
    return made


class RegionsPanel(Panel):
    def __init__(self, session: Session) -> None:
        super().__init__(session, "Regions", "Click an ID colour on the sheet or in the list to make it a region.")
        self.found = self._list("ID colours of the map", 122)
        self.found.itemActivated.connect(self._make)
        self.make_button = QPushButton("Make regions of the selected")
        self.make_button.clicked.connect(lambda: self._make())
        self.found.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.found_label = label("", "quiet")
        self.hex = QLineEdit()
        self.hex.setPlaceholderText("#rrggbb")
        self.hex.setAccessibleName("ID colour by hex")
        self.hex.returnPressed.connect(self._by_hex)
        add = tool("Make region of hex", "plus", "Make a region of this colour")
        add.clicked.connect(self._by_hex)
        self.regions = self._list("Regions", 122)
        self.regions.setEditTriggers(
            QAbstractItemView.EditTrigger.DoubleClicked | QAbstractItemView.EditTrigger.EditKeyPressed
        )
        self.regions.itemChanged.connect(self._rename)
        self.regions.currentRowChanged.connect(self._select)
        up = tool("Move region up", "arrow-up", "Move up; with “order” the upper region wins")
        down = tool("Move region down", "arrow-down", "Move down")
        recolour = tool("Use hex as ID colour", "target", "Key the selected region by the hex colour above")
        remove = tool("Remove region", "trash", "Remove the selected region")
        up.clicked.connect(lambda: self._move(-1))
        down.clicked.connect(lambda: self._move(1))
        recolour.clicked.connect(self._change_colour)
        remove.clicked.connect(lambda: self.session.do(commands.remove_region(self.session.region)))
        buttons = row(up, down, recolour, remove)
        buttons.addStretch(1)
        for widget in (label("ID colours", "section"), self.found, self.found_label, self.make_button):
            self.column.addWidget(widget)
        self.column.addLayout(row(self.hex, add, stretch=0))
        self.column.addWidget(label("Regions (double-click to rename)", "section"))
        self.column.addWidget(self.regions)
        self.column.addLayout(buttons)
        self.column.addStretch(1)

    def _list(self, name: str, height: int) -> QListWidget:
        made = QListWidget()
        made.setAccessibleName(name)
        made.setIconSize(QSize(16, 16))
        made.setFixedHeight(height)
        made.setProperty("imageArea", True)
        return made

    def _colours(self) -> IdColours | None:
        try:
            return self.session.sheets.known_id_colours(self.session.kit)
        except UserError:
            return IdColours((), 0)

    def refresh(self) -> None:
        kit, listed = self.session.kit, self._colours()
        colours = listed or IdColours((), 0)
        names = {region.id_colour: region.name for region in kit.sheet.regions}
        selected = {item.data(Qt.ItemDataRole.UserRole) for item in self.found.selectedItems()}
        self.found.clear()
        for colour in colours.colours:
            text = (
                f"{format_hex(colour.levels)}   {colour.texels / colours.texels:6.2%}   {names.get(colour.levels, '')}"
            )
            item = QListWidgetItem(colour_icon(colour.levels), text)
            item.setData(Qt.ItemDataRole.UserRole, colour.levels)
            item.setToolTip(f"{colour.texels} texels")
            self.found.addItem(item)
            item.setSelected(colour.levels in selected)
        if colours.colours:
            self.found_label.setText(
                f"{len(colours.colours)} colours, {colours.stray_share:.2%} stray (soft edges, noise)"
            )
        elif listed is None:
            self.found_label.setText("The colours are being listed …")
        else:
            self.found_label.setText("There is no ID map yet; open one in Source.")
        self._refresh_regions()

    def _refresh_regions(self) -> None:
        regions = self.session.kit.sheet.regions
        self.regions.blockSignals(True)
        self.regions.clear()
        for index, region in enumerate(regions):
            item = QListWidgetItem(colour_icon(region.id_colour), region.name)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsEditable)
            item.setData(Qt.ItemDataRole.UserRole, region.key)
            self.regions.addItem(item)
            if region.key == self.session.region:
                self.regions.setCurrentRow(index)
        self.regions.blockSignals(False)

    def _make(self, item: QListWidgetItem | None = None) -> None:
        items = [item] if item else self.found.selectedItems()
        self.make_regions([chosen.data(Qt.ItemDataRole.UserRole) for chosen in items])

    def make_regions(self, colours: list[Rgb8]) -> None:
        """Make regions of ID colours, and select the last."""
        if colours and self.session.do(commands.add_regions(colours)):
            self.session.select(region=self.session.kit.sheet.regions[-1].key)

    def pick(self, colour: Rgb8) -> None:
        """A click on the sheet: the ID colour that this texel belongs to."""
        listed = (self._colours() or IdColours((), 0)).colours
        near = min(listed, key=lambda c: max(abs(a - b) for a, b in zip(c.levels, colour, strict=True)), default=None)
        chosen = near.levels if near else colour
        have = {region.id_colour: region.key for region in self.session.kit.sheet.regions}
        if chosen in have:
            self.session.select(region=have[chosen])
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

    def _rename(self, item: QListWidgetItem) -> None:
        key = item.data(Qt.ItemDataRole.UserRole)
        if not self.session.do(commands.rename_region(key, item.text())):
            self._refresh_regions()

    def _move(self, by: int) -> None:
        if self.session.region:
            self.session.do(commands.move_region(self.session.region, by))

    def _select(self, index: int) -> None:
        if 0 <= index < len(self.session.kit.sheet.regions):
            self.session.select(region=self.session.kit.sheet.regions[index].key)
