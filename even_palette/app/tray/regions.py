"""Stage 2, Regions: the regions of the sheet, and below them where they come from: elements, the ID map, bakes."""

from PyQt6.QtCore import Qt, pyqtBoundSignal
from PyQt6.QtWidgets import QAbstractItemView, QButtonGroup, QListWidgetItem, QSizePolicy, QToolButton

from even_palette.app.choosing import Choice
from even_palette.app.controls import Pages, ShortList, row, swatch_icon, tool
from even_palette.app.panel import Panel
from even_palette.app.session import Session
from even_palette.app.tray.bakes import BakesTab
from even_palette.app.tray.elements import ElementsTab
from even_palette.app.tray.id_colours import IdColoursTab
from even_palette.core.kit import commands
from even_palette.core.raster.guess import Role
from even_palette.core.regions.fresh_colours import fresh_id_colours
from even_palette.core.results.dividing import new_regions

TABS = ("Elements", "ID map", "Bakes")


class RegionsPanel(Panel):
    """The regions of the sheet, and below them where they come from."""

    def __init__(self, session: Session, choice: Choice) -> None:
        super().__init__(session, "Regions", "")
        self.regions = ShortList("Regions", 104)
        self.regions.setEditTriggers(
            QAbstractItemView.EditTrigger.DoubleClicked | QAbstractItemView.EditTrigger.EditKeyPressed
        )
        self.regions.setToolTip("Double-click to rename")
        self.regions.itemChanged.connect(self._rename)
        self.regions.currentRowChanged.connect(self._select)
        self.add = tool("Add region", "plus", "Add an empty region with a fresh ID colour")
        self.add.clicked.connect(self._add)
        up = tool("Move region up", "arrow-up", "Move up; with “order” the upper region wins")
        down = tool("Move region down", "arrow-down", "Move down")
        remove = tool("Remove region", "trash", "Remove the selected region")
        up.clicked.connect(lambda: self._move(-1))
        down.clicked.connect(lambda: self._move(1))
        remove.clicked.connect(lambda: self.session.do(commands.remove_region(self.session.region)))
        self.pure = tool(
            "Make ID colours pure", "palette",
            "Give all regions ID colours anew: pure red, green, blue and so on first. Not where the ID map is a file",
        )  # fmt: skip
        self.pure.clicked.connect(lambda: session.do(commands.make_id_colours_pure(session.at.key)))
        buttons = row(self.add, up, down, remove, self.pure)
        buttons.addStretch(1)
        self.elements = ElementsTab(session, choice)
        self.ids = IdColoursTab(session)
        self.bakes = BakesTab(session, choice)
        self.bakes.look_wanted.connect(self.look_wanted)
        self.elements.tool_changed.connect(self.tool_changed)
        self.elements.box_wanted.connect(self.box_wanted)
        self.tabs = QButtonGroup(self)
        self.pages = Pages()
        heads = []
        for index, (name, tab) in enumerate(zip(TABS, (self.elements, self.ids, self.bakes), strict=True)):
            head = QToolButton()
            head.setText(name)
            head.setCheckable(True)
            head.setProperty("role", "tab")
            head.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
            self.tabs.addButton(head, index)
            self.pages.add(tab)
            heads.append(head)
        self.tabs.idClicked.connect(self.show_tab)
        self._tab_of = ""
        self.column.addWidget(self.regions, 10)
        self.column.addLayout(buttons)
        tabs = row(*heads)
        tabs.setSpacing(0)
        self.column.addLayout(tabs)
        self.column.addWidget(self.pages, 20)
        self._lay_tab(0)

    @property
    def followed(self) -> tuple[pyqtBoundSignal, ...]:
        session = self.session
        return session.shown_changed, session.selection_changed, session.results.colours_listed

    @property
    def tab(self) -> str:
        """The name of the tab that is shown."""
        return TABS[self.pages.current]

    def show_tab(self, index: int) -> None:
        """Show one of the sources of regions of this sheet."""
        self._tab_of = self.session.at.key
        self._lay_tab(index)
        self.refresh()

    def _lay_tab(self, index: int) -> None:
        """Show a tab."""
        button = self.tabs.button(index)
        assert button is not None
        button.setChecked(True)
        self.pages.show_page(index)
        self.tool_changed.emit()

    def refresh(self) -> None:
        at = self.session.at
        if self._tab_of != at.key:  # a sheet begins with where its regions come from
            elements = at.sheet.source(Role.ID) is None and any(not mesh.reference for mesh in at.kit.meshes)
            wanted = 0 if elements else 1
            if self.pages.current != wanted:
                self._lay_tab(wanted)
        self._refresh_regions()
        self.pure.setEnabled(bool(at.sheet.regions) and at.sheet.source(Role.ID) is None)
        (self.elements, self.ids, self.bakes)[self.pages.current].refresh()

    def _refresh_regions(self) -> None:
        regions = self.session.at.sheet.regions
        self.regions.blockSignals(True)
        self.regions.clear()
        for index, region in enumerate(regions):
            item = QListWidgetItem(swatch_icon(region.id_colour), region.name)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsEditable)
            item.setData(Qt.ItemDataRole.UserRole, region.key)
            self.regions.addItem(item)
            if region.key == self.session.region:
                self.regions.setCurrentRow(index)
        self.regions.blockSignals(False)

    def _add(self) -> None:
        at = self.session.at
        colours = fresh_id_colours(1, [region.id_colour for region in at.sheet.regions])
        made = new_regions(at, [f"Region {len(at.sheet.regions) + 1}"], colours)
        if self.session.do(commands.put_regions(at.key, made)):
            self.session.select(made[0].key)

    def _rename(self, item: QListWidgetItem) -> None:
        key = item.data(Qt.ItemDataRole.UserRole)
        if not self.session.do(commands.rename_region(key, item.text())):
            self._refresh_regions()

    def _move(self, by: int) -> None:
        if self.session.region:
            self.session.do(commands.move_region(self.session.region, by))

    def _select(self, index: int) -> None:
        if 0 <= index < len(self.session.at.sheet.regions):
            self.session.select(self.session.at.sheet.regions[index].key)
