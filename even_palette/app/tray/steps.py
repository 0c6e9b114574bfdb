"""The steps of a region's mask: a list in their order, and the values of the chosen one."""

from msgspec.structs import replace
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QListWidget, QListWidgetItem, QMenu, QToolButton, QVBoxLayout, QWidget

from even_palette.app import plain
from even_palette.app.controls import choice, empty, label, offer, show_choice, tool
from even_palette.app.number import NumberRow
from even_palette.app.session import Session
from even_palette.app.tray.brush import BrushEditor
from even_palette.app.tray.order import Order
from even_palette.app.tray.plane_use import PlaneUseEditor
from even_palette.core.kit import commands
from even_palette.core.kit.sheet import Region, Step
from even_palette.core.material.model import PlaneUse
from even_palette.core.regions.steps import STEPS, Join

JOINS: list[tuple[str, object]] = [
    ("Strongest of both", Join.STRONGEST),
    ("Add", Join.ADD),
    ("Subtract", Join.SUBTRACT),
    ("Intersect", Join.INTERSECT),
    ("Replace", Join.REPLACE),
]
LIST_PX = 76


class StepsList(QWidget):
    """Adds, orders, switches and removes the steps of the selected region, and sets the values of one.

    `chosen` gives the number of the step whose values are shown.
    """

    chosen = pyqtSignal(int)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.number = 0
        self.list = QListWidget()
        self.list.setAccessibleName("Steps of the mask")
        self.list.setFixedHeight(LIST_PX)
        self.list.setDragDropMode(QListWidget.DragDropMode.InternalMove)
        self.list.setToolTip("Drag to change the order")
        model = self.list.model()
        assert model is not None
        model.rowsMoved.connect(lambda _p, first, _l, _d, to: self._dragged(first, to))
        self.list.currentRowChanged.connect(self.choose)
        self.list.itemChanged.connect(self._switch)
        self.order = Order(
            "step", STEPS.values(), self.add, self._move,
            lambda: self._do(commands.remove_step(self._key(), self.number)),
        )  # fmt: skip
        self.values = QVBoxLayout()
        self.values.setSpacing(6)
        self.editors: dict[str, QWidget] = {}
        self._shape: object = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.copy = tool("Copy steps", "copy", "Put the steps of this region behind those of another one")
        self.copy.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.copy_menu = QMenu(self.copy)
        self.copy_menu.aboutToShow.connect(self._list_others)
        self.copy.setMenu(self.copy_menu)
        buttons = self.order.layout()
        buttons.addWidget(self.copy)
        buttons.addStretch(1)
        column.addWidget(self.list)
        column.addLayout(buttons)
        column.addLayout(self.values)

    def _key(self) -> str:
        return self.session.region

    def _region(self) -> Region | None:
        return next((r for r in self.session.at.sheet.regions if r.key == self._key()), None)

    def _do(self, command: commands.Command) -> bool:
        return self.session.do(command)

    def refresh(self) -> None:
        """Show the steps of the selected region."""
        region = self._region()
        steps = region.steps if region else ()
        if self.session.view.state.step >= 0:
            self.number = self.session.view.state.step
        self.number = min(self.number, max(0, len(steps) - 1))
        self.list.blockSignals(True)
        self.list.clear()
        for step in steps:
            item = QListWidgetItem(_told(step))
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked if step.on else Qt.CheckState.Unchecked)
            item.setToolTip(plain.tip(STEPS[step.kind].help))
            self.list.addItem(item)
        self.list.setCurrentRow(self.number if steps else -1)
        self.list.blockSignals(False)
        self.session.view.change(quiet=True, step=self.number if steps else -1)
        self.chosen.emit(self.number if steps else -1)
        self.order.follow(len(steps), self.number, can_add=region is not None)
        self.copy.setEnabled(bool(steps) and len(self.session.at.sheet.regions) > 1)
        shape = (self._key(), self.number, steps[self.number].kind) if steps else None
        if shape != self._shape:
            self._shape = shape
            self._build(steps[self.number] if steps else None)
        if steps:
            self._show(steps[self.number])

    def follow_step(self) -> None:
        """Show the step that the view state names, if it is another one."""
        if self.session.view.state.step not in (-1, self.number):
            self.refresh()

    def add(self, kind: str) -> None:
        """Put a step of a kind behind the others."""
        if self._do(commands.add_step(self._key(), Step(kind))):
            region = self._region()
            self.session.view.change(quiet=True, step=len(region.steps) - 1 if region else 0)
            self.refresh()

    def _list_others(self) -> None:
        self.copy_menu.clear()
        own = self._key()
        others = [region for region in self.session.at.sheet.regions if region.key != own]
        for name, keys in (("All other regions", [r.key for r in others]), *((r.name, [r.key]) for r in others)):
            action = self.copy_menu.addAction(plain.item(name))
            assert action is not None
            action.triggered.connect(lambda _, keys=keys: self._do(commands.copy_steps(own, keys)))

    def _move(self, by: int) -> None:
        if self._do(commands.move_step(self._key(), self.number, by)):
            self.session.view.change(quiet=True, step=self.number + by)
            self.refresh()

    def _dragged(self, first: int, to: int) -> None:
        """A step was dropped elsewhere in the list; `to` is the row before which it was dropped."""
        number = to - 1 if to > first else to
        if self._do(commands.move_step(self._key(), first, number - first)):
            self.session.view.change(quiet=True, step=number)
        self.refresh()

    def choose(self, number: int) -> None:
        """Show the values of a step."""
        if number >= 0:
            self.session.view.change(quiet=True, step=number)
            self.refresh()

    def _switch(self, item: QListWidgetItem) -> None:
        number = self.list.row(item)
        region = self._region()
        if region is not None and number < len(region.steps):
            on = item.checkState() == Qt.CheckState.Checked
            self._do(commands.change_step(region.key, number, replace(region.steps[number], on=on)))

    def _change(self, **fields: object) -> None:
        region = self._region()
        if region is not None and self.number < len(region.steps):
            step = replace(region.steps[self.number], **fields)
            self._do(commands.change_step(region.key, self.number, step))

    def _set(self, name: str, value: float) -> None:
        region = self._region()
        if region is not None:
            self._change(values={**region.steps[self.number].values, name: value})

    def _build(self, step: Step | None) -> None:
        empty(self.values)
        self.editors = {}
        if step is None:
            self.values.addWidget(label("No steps: the mask is what is keyed, given and boxed.", "quiet"))
            return
        kind = STEPS[step.kind]
        if kind.is_paint:
            self.editors["brush"] = BrushEditor(self.session)
        finish = self.session.end_merge
        for value in kind.values:
            number = NumberRow(value.label, value.low, value.high, value.unit, 1, value.help)
            number.changed.connect(lambda v, name=value.name: self._set(name, v))
            number.finished.connect(finish)
            self.editors[value.name] = number
        if kind.reads_channel:
            plane = PlaneUseEditor("Plane of the step", "Choose a plane", lies=False)
            plane.changed.connect(self._set_plane)
            plane.finished.connect(finish)
            self.editors["plane"] = plane
        if kind.reads_region:
            other = choice("Region of the step", [])
            other.activated.connect(lambda i: self._change(region=other.itemData(i)))
            self.editors["region"] = other
        if kind.is_source:
            join = choice("Join", JOINS)
            join.activated.connect(lambda i: self._change(join=join.itemData(i)))
            self.editors["join"] = join
        strength = NumberRow("Strength", 0, 1, "", 2, "How far the step acts")
        strength.changed.connect(lambda v: self._change(strength=v))
        strength.finished.connect(finish)
        self.editors["strength"] = strength
        for name, editor in self.editors.items():
            if kind.is_paint and name == "strength":
                self.editors["brush"].more.column.addWidget(editor)  # type: ignore[attr-defined]
            else:
                self.values.addWidget(editor)

    def _show_regions(self, box: QComboBox, step: Step) -> None:
        claims, regions = STEPS[step.kind].claims_only, self.session.at.sheet.regions
        others = [(region.name, region.key) for region in regions if claims or region.key != self._key()]
        offer(box, [("Choose a region", ""), *others], step.region)

    def _set_plane(self, use: PlaneUse | None) -> None:
        self._change(plane=use)

    def _show(self, step: Step) -> None:
        filled = STEPS[step.kind].filled(step.values)
        for name, editor in self.editors.items():
            if isinstance(editor, PlaneUseEditor):
                editor.show_use(self.session.at, step.plane)
            elif name == "region":
                self._show_regions(editor, step)  # type: ignore[arg-type]
            elif name == "join":
                show_choice(editor, step.join)  # type: ignore[arg-type]
            elif isinstance(editor, NumberRow):
                editor.show_value(step.strength if name == "strength" else filled[name])


def _told(step: Step) -> str:
    """A step in a few words."""
    kind = STEPS[step.kind]
    values = ", ".join(f"{number:g}" for number in kind.filled(step.values).values())
    if kind.is_paint:
        values = f"{len(step.paint.tiles)} tiles" if step.paint else "nothing yet"
    if kind.reads_channel:
        values = step.plane.plane.key.replace("_", " ") if step.plane else "no plane yet"
    return f"{kind.label}  {values}"
