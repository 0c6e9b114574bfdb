"""Regions from the mesh: its elements, what is chosen of them, and ways to give them to regions."""

from functools import partial

import numpy as np
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QDoubleSpinBox,
    QHBoxLayout,
    QListWidgetItem,
    QMenu,
    QPushButton,
    QSpinBox,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from even_palette.app.choosing import Choice
from even_palette.app.controls import Fold, ShortList, empty, label, row, show_choice, tool
from even_palette.app.controls import choice as choice_box
from even_palette.app.session import Session
from even_palette.app.tray.move_faces import MoveFaces
from even_palette.app.tray.padding import PaddingRow
from even_palette.app.view_state import Tool
from even_palette.core.jobs import CancelToken, Progress
from even_palette.core.kit import commands
from even_palette.core.kit.sheet import Box
from even_palette.core.mesh.kinds import ElementKind, Likeness
from even_palette.core.results.dividing import (
    Split,
    assign,
    divide,
    give_to_new_twin,
    give_to_twin,
    rest_region,
    scatter_split,
)

MOST_LISTED = 400
NEW = "new"
KINDS = [
    ("Faces", ElementKind.FACE),
    ("Shells (connected pieces)", ElementKind.SHELL),
    ("UV islands", ElementKind.ISLAND),
    ("Material slots", ElementKind.SLOT),
    ("Objects and groups", ElementKind.OBJECT),
    ("Vertex colours", ElementKind.COLOUR),
]
TOOLS = (
    (Tool.CLICK, "cursor", "Click: choose an element; Shift adds or takes away"),
    (Tool.BOX, "selection", "Box: choose what a dragged rectangle shows"),
    (Tool.LASSO, "scribble-loop", "Lasso: choose what a drawn line encloses"),
)


class ElementsTab(QWidget):
    """Choosing elements of the mesh and giving them to regions."""

    tool_changed = pyqtSignal()
    box_wanted = pyqtSignal()

    def __init__(self, session: Session, choice: Choice) -> None:
        super().__init__()
        self.session, self.choice = session, choice
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 0, 0, 0)
        self.column.setSpacing(8)
        self.kind = choice_box("Kind of elements", list(KINDS))
        show_choice(self.kind, choice.kind)
        self.kind.activated.connect(lambda i: choice.set_kind(self.kind.itemData(i)))
        self.list = ShortList("Elements", 104, many=True)
        self.list.itemSelectionChanged.connect(self._take_listed)
        self.chosen_label = label("", "quiet")
        self.column.addWidget(self.kind)
        self.column.addWidget(self.list, 10)
        self.column.addLayout(self._tools())
        self.column.addWidget(self.chosen_label)
        self.assign_button = QPushButton("Give to the selected region")
        self.assign_button.setProperty("role", "main")
        self.assign_button.clicked.connect(lambda: self._assign(self.session.region))
        free = tool("Take from regions", "eraser", "Take the chosen faces out of all regions")
        free.clicked.connect(lambda: self._assign(""))
        self.twins = tool("Give to a twin", "copy", "Let the chosen faces look as a twin of the sheet does")
        self.twins.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.twins_menu = QMenu(self.twins)
        self.twins_menu.aboutToShow.connect(self._fill_twins)
        self.twins.setMenu(self.twins_menu)
        self.column.addLayout(row(self.assign_button, free, self.twins, stretch=0))
        self.divide_button = QPushButton("")
        self.divide_button.clicked.connect(self._divide)
        rest = QPushButton("The rest")
        rest.setToolTip("Make a region of all faces that no region has")
        rest.clicked.connect(self._rest)
        self.column.addLayout(row(self.divide_button, rest, stretch=0))
        self.padding = PaddingRow(session)
        self.column.addWidget(self.padding)
        self.moves = MoveFaces(session, choice)
        self.column.addWidget(self.moves)
        self.column.addWidget(self._scatter())
        self.column.addWidget(self._boxes())
        self.column.addStretch(1)
        choice.changed.connect(self._show_chosen)
        choice.kind_changed.connect(self._fill)
        self._listed: tuple[object, ...] = ()

    def _tools(self) -> QHBoxLayout:
        group = QButtonGroup(self)
        self.tools: dict[Tool, QToolButton] = {}
        for which, icon_name, tip in TOOLS:
            button = tool(f"{which.value.capitalize()} tool", icon_name, tip)
            button.setCheckable(True)
            button.clicked.connect(partial(self._set_tool, which))
            group.addButton(button)
            self.tools[which] = button
        self.tools[Tool.CLICK].setChecked(True)
        choice = self.choice
        made = row(*self.tools.values())
        made.setSpacing(1)
        made.addSpacing(4)
        for name, icon_name, tip, act in (
            ("Grow", "arrows-out", "Add the ring of faces around what is chosen", choice.grow),
            ("Shrink", "arrows-in", "Take away the outermost ring of faces", choice.shrink),
            ("Invert", "selection-inverse", "Choose what is not chosen", choice.invert),
            ("Choose nothing", "x", "Choose nothing", choice.clear),
        ):
            button = tool(name, icon_name, tip)
            button.clicked.connect(lambda _, act=act: act())
            made.addWidget(button)
        self.similar = tool(
            "Similar",
            "intersect",
            "Choose elements like those that are chosen, faces whose UVs are at fault, or faces of no region",
        )
        self.similar.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(self.similar)
        for likeness in Likeness:
            action = menu.addAction(likeness.value.capitalize())
            assert action is not None
            action.triggered.connect(lambda _, by=likeness: choice.similar(by))
        menu.addSeparator()
        for text, act in (
            ("Faces with overlapping UVs", choice.overlapping),
            ("Faces outside the tile", choice.outside),
            ("Faces of no region", choice.unassigned),
        ):
            action = menu.addAction(text)
            assert action is not None
            action.triggered.connect(lambda _, act=act: act())
        self.similar.setMenu(menu)
        made.addWidget(self.similar)
        made.addStretch(1)
        return made

    def _scatter(self) -> Fold:
        self.scatter = Fold("Scatter split")
        self.scatter.column.addWidget(label("Gives the chosen shells to regions at random, in these shares.", "quiet"))
        self._share_rows = QVBoxLayout()
        self._share_rows.setSpacing(4)
        self.shares: dict[str, QDoubleSpinBox] = {}
        self.by = choice_box("Shares are of", [("Shares of the count", False), ("Shares of the area", True)])
        self.apart = QCheckBox("Keep neighbours apart")
        self.apart.setChecked(True)
        self.seed = QSpinBox()
        self.seed.setRange(1, 9999)
        self.seed.setAccessibleName("Seed")
        self.seed.setPrefix("Seed ")
        self.seed.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        self.roll_button = QPushButton("Another roll")
        self.roll_button.clicked.connect(self._roll)
        self.scatter_button = QPushButton("Scatter")
        self.scatter_button.clicked.connect(self.run_scatter)
        self.outcome = label("", "quiet")
        self.scatter.column.addWidget(self.by)
        self.scatter.column.addWidget(self.apart)
        self.scatter.column.addLayout(row(self.seed, self.roll_button, self.scatter_button, stretch=0))
        self.scatter.column.addWidget(self.outcome)
        self.scatter.column.addLayout(self._share_rows)
        return self.scatter

    def _boxes(self) -> Fold:
        fold = Fold("Rectangles of the sheet")
        fold.column.addWidget(label("For parts that are told apart only by where they lie on the sheet.", "quiet"))
        buttons = []
        for name, box in (("Left half", Box(0, 0, 0.5, 1)), ("Right half", Box(0.5, 0, 1, 1))):
            button = QPushButton(name)
            button.clicked.connect(lambda _, box=box: self.add_box(box))
            buttons.append(button)
        draw = QPushButton("Draw …")
        draw.setToolTip("Drag a rectangle on the sheet for the selected region")
        draw.clicked.connect(self._draw_box)
        buttons.append(draw)
        self.box_buttons = buttons
        clear = tool("Remove rectangles", "trash", "Remove the selected region's rectangles")
        clear.clicked.connect(lambda: self.session.do(commands.clear_boxes(self.session.region)))
        fold.column.addLayout(row(*buttons, clear))
        self.boxes_label = label("", "quiet")
        fold.column.addWidget(self.boxes_label)
        return fold

    # Showing

    def refresh(self) -> None:
        """Show what is chosen."""
        self._fill()
        regions = self.session.at.sheet.regions
        region = next((r for r in regions if r.key == self.session.region), None)
        self.assign_button.setText(f"Give to {region.name}" if region else "Give to the selected region")
        count = len(region.boxes) if region else 0
        self.boxes_label.setText(f"{region.name} holds {count} rectangles." if region else "Select a region first.")
        self.padding.refresh(self.session.at.sheet)
        self._fill_shares()
        self._show_chosen()

    def _fill(self) -> None:
        at = self.session.shown
        found = self.choice.mesh
        show_choice(self.kind, self.choice.kind)
        if at is None or found is None:
            self._listed = ()
            self.list.clear()
            self.divide_button.setText("No mesh on this sheet")
            self.divide_button.setEnabled(False)
            return
        parts = self.choice.elements()
        if parts is None:
            self._listed = ()
            self.list.clear()
            self.divide_button.setText("Being found …")
            self.divide_button.setEnabled(False)
            return
        words = {kind: name for name, kind in KINDS}[self.choice.kind].split(" (")[0].lower()
        self.divide_button.setEnabled(self.choice.kind != ElementKind.FACE)
        self.divide_button.setText(f"A region each ({parts.count} {words})")
        self.divide_button.setToolTip(f"Make a region of each of the {parts.count} {words}")
        shown = (found.content_id, self.choice.kind)
        if shown == self._listed:
            return
        self._listed = shown
        self.list.blockSignals(True)
        self.list.clear()
        order = np.argsort(-parts.area_shares, kind="stable")[:MOST_LISTED].tolist()
        for number in order:
            text = f"{parts.name(number)}   {parts.face_counts[number]} faces   {parts.area_shares[number]:.2%}"
            item = QListWidgetItem(text)
            item.setData(Qt.ItemDataRole.UserRole, number)
            self.list.addItem(item)
        if parts.count > MOST_LISTED:
            item = QListWidgetItem(f"and {parts.count - MOST_LISTED} smaller ones")
            item.setFlags(Qt.ItemFlag.NoItemFlags)
            self.list.addItem(item)
        self.list.blockSignals(False)

    def _show_chosen(self) -> None:
        at, found, faces = self.session.shown, self.choice.mesh, self.choice.faces
        there = bool(faces.any())
        self.assign_button.setEnabled(there and bool(self.session.region))
        self.twins.setEnabled(there)
        self.scatter_button.setEnabled(there)
        self.roll_button.setEnabled(there)
        if at is None or found is None or len(faces) != found.mesh.face_count:
            self.chosen_label.setText("")
            return
        if not self.isVisible():  # nothing is looked for before it can be seen
            return
        whole = self.session.elements_of(ElementKind.FACE)
        parts = self.choice.elements()
        if whole is None or parts is None:
            return
        shares = whole.area_shares
        hit = np.unique(parts.labels[faces])
        self.chosen_label.setText(
            f"{len(hit)} of {parts.count} chosen: {int(faces.sum())} faces, {float(shares[faces].sum()):.2%} of area"
            if there
            else "Nothing is chosen. Click in a pane; Shift adds."
        )
        self.list.blockSignals(True)
        numbers = set(hit.tolist())
        for index in range(self.list.count()):
            item = self.list.item(index)
            assert item is not None
            item.setSelected(item.data(Qt.ItemDataRole.UserRole) in numbers)
        self.list.blockSignals(False)

    def _fill_shares(self) -> None:
        regions = self.session.at.sheet.regions
        if list(self.shares) == [region.key for region in regions]:
            return
        before = {key: field.value() for key, field in self.shares.items()}
        empty(self._share_rows)
        self.shares = {}
        for region in regions:
            field = QDoubleSpinBox()
            field.setRange(0, 100)
            field.setDecimals(0)
            field.setSuffix(" %")
            field.setAccessibleName(f"Share of {region.name}")
            field.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
            field.setFixedWidth(64)
            field.setValue(before.get(region.key, 0))
            self.shares[region.key] = field
            self._share_rows.addLayout(row(label(region.name), field, stretch=0))

    # Acting

    def _set_tool(self, which: Tool) -> None:
        self.session.view.change(quiet=True, tool=which)
        self.tool_changed.emit()

    def _take_listed(self) -> None:
        numbers = [item.data(Qt.ItemDataRole.UserRole) for item in self.list.selectedItems()]
        self.choice.take_elements([number for number in numbers if number is not None])

    def _assign(self, region: str) -> None:
        at, faces = self.session.at, self.choice.faces
        self.session.do_made("Give faces", lambda: assign(at, self.session.sheets, faces, region))

    def _divide(self) -> None:
        at, kind = self.session.at, self.choice.kind
        self.session.do_made("Divide", lambda: divide(at, self.session.sheets, kind))

    def _fill_twins(self) -> None:
        """A new twin, those that are there, and the sheet itself."""
        sheet = self.session.at.sheet
        self.twins_menu.clear()
        listed = [(f"As {sheet.name}", ""), *((f"As {twin.name}", twin.key) for twin in sheet.twins)]
        for text, twin in (*listed, ("As a new twin", NEW)):
            action = self.twins_menu.addAction(text)
            assert action is not None
            action.triggered.connect(lambda _, twin=twin: self.give_to_twin(twin))

    def give_to_twin(self, twin: str) -> None:
        """Let the chosen faces look as a twin does, by its key; as a new one, or "" as the sheet itself."""
        session, faces, sheets = self.session, self.choice.faces, self.session.sheets
        at = session.at.whole.at(session.at.key)
        if twin == NEW:
            session.do_made("Give faces", lambda: give_to_new_twin(at, sheets, faces))
        else:
            session.do_made("Give faces", lambda: give_to_twin(at, sheets, faces, twin))

    def _rest(self) -> None:
        at = self.session.at
        self.session.do_made("Divide", lambda: rest_region(at, self.session.sheets))

    def _roll(self) -> None:
        self.seed.setValue(self.seed.value() % 9999 + 1)
        self.run_scatter()

    def run_scatter(self) -> None:
        """Scatter the chosen shells with the shares and the seed that are set."""
        shares = {key: field.value() for key, field in self.shares.items()}
        at, faces, seed = self.session.at, self.choice.faces, self.seed.value()
        by_area, apart = self.by.currentData(), self.apart.isChecked()

        def work(progress: Progress, cancel: CancelToken) -> Split:
            return scatter_split(at, self.session.sheets, faces, shares, seed, by_area, apart)

        def done(found: Split) -> None:
            if at is self.session.at:
                self._tell_split(found, [key for key, share in shares.items() if share > 0])
                self.session.do(found.command)

        self.session.jobs.run("Scatter split", work, done, self.session.notice.emit)

    def _tell_split(self, found: Split, keys: list[str]) -> None:
        names = [self.session.kit.region(key).name for key in keys]
        parts = [
            f"{name} {count} ({share:.0%} of the area)"
            for name, count, share in zip(names, found.counts, found.shares, strict=True)
        ]
        touching = f" {found.conflicts} touching pairs could not be kept apart." if found.conflicts else ""
        apart = " No two neighbours are alike." if self.apart.isChecked() and not found.conflicts else ""
        self.outcome.setText(f"{', '.join(parts)}.{touching}{apart}")

    def add_box(self, box: Box) -> None:
        """Give a rectangle to the selected region."""
        if not self.session.region:
            self.session.notice.emit("Select a region first; it gets the rectangle.")
            return
        self.session.do(commands.add_box(self.session.region, box))

    def _draw_box(self) -> None:
        if self.session.region:
            self.session.notice.emit("Drag a rectangle on the sheet.")
            self.box_wanted.emit()
        else:
            self.session.notice.emit("Select a region first; it gets the rectangle.")
