"""The parameters of the kit as a table: what each is, what the selected variant sets it to, and who follows it."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QColor, QIcon, QPixmap
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QHeaderView,
    QLineEdit,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from even_palette.app import plain
from even_palette.app.controls import choice, empty, label, row, show_choice, tool
from even_palette.app.number import NumberRow
from even_palette.app.session import Session
from even_palette.app.swatch.editor import SwatchEditor
from even_palette.app.tray.allowed import AllowedPart
from even_palette.core.colour.hexcode import encoded_to_hex
from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import owner_name, users_of, users_of_all
from even_palette.core.material.model import Parameter, Setting, ValueKind
from even_palette.core.material.variants import resolve

KINDS: list[tuple[str, object]] = [
    ("Number", ValueKind.NUMBER),
    ("Row", ValueKind.ROW),
    ("Switch", ValueKind.SWITCH),
    ("Colour", ValueKind.COLOUR),
]
ROWS_PX = 168


class ParameterTable(QWidget):
    """The table, and below it what the chosen parameter is and its value in the selected variant.

    `pick_wanted` gives a swatch that wants a colour from the stand.
    """

    pick_wanted = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.table = QTreeWidget()
        self.table.setAccessibleName("Parameters")
        self.table.setHeaderLabels(["Name", "Value", "Used"])
        self.table.setRootIsDecorated(False)
        self.table.setProperty("imageArea", True)
        self.table.setFixedHeight(ROWS_PX)
        self.table.setEditTriggers(
            QAbstractItemView.EditTrigger.DoubleClicked | QAbstractItemView.EditTrigger.EditKeyPressed
        )
        head = self.table.header()
        assert head is not None
        head.setAccessibleName("Columns of the parameters")
        head.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        for column in (1, 2):
            head.setSectionResizeMode(column, QHeaderView.ResizeMode.ResizeToContents)
        head.setStretchLastSection(False)
        self.table.itemChanged.connect(self._rename)
        self.table.currentItemChanged.connect(lambda item, _: self._choose(item))
        self.key = ""
        self.kind = choice("Kind of parameter", KINDS)
        self.kind.activated.connect(lambda _: self._set_kind())
        self.earlier = tool("List parameter earlier", "arrow-up", "Packages list it earlier")
        self.later = tool("List parameter later", "arrow-down", "Packages list it later")
        self.earlier.clicked.connect(lambda: session.do(commands.move_parameter(self.key, -1)))
        self.later.clicked.connect(lambda: session.do(commands.move_parameter(self.key, 1)))
        self.low, self.high = QLineEdit(), QLineEdit()
        self.group, self.help = QLineEdit(), QLineEdit()
        fields = ((self.low, "Lowest", "Lowest value"), (self.high, "Highest", "Highest value"),
                  (self.group, "Group", "Parameters of one group are listed together"),
                  (self.help, "Help", "What the runtime is told about it"))  # fmt: skip
        for field, name, tip in fields:
            field.setAccessibleName(f"{name} of the parameter")
            field.setPlaceholderText(name)
            field.setToolTip(plain.tip(tip))
        for field in (self.low, self.high):
            field.editingFinished.connect(self._set_kind)
        for field in (self.group, self.help):
            field.editingFinished.connect(self._describe)
        self.users = label("", "quiet")
        self.value = QVBoxLayout()
        self._shape: object = None
        self.editor: QWidget | None = None
        self.chosen = QWidget()
        below = QVBoxLayout(self.chosen)
        below.setContentsMargins(0, 0, 0, 0)
        below.setSpacing(6)
        below.addLayout(self.value)
        below.addLayout(row(self.kind, self.low, self.high, self.earlier, self.later, stretch=0))
        below.addLayout(row(self.group, self.help, stretch=1))
        below.addWidget(self.users)
        self.allowed = AllowedPart(session)
        below.addWidget(self.allowed)
        for field in (self.low, self.high):
            field.setFixedWidth(48)
        self.group.setFixedWidth(96)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(6)
        whole.addWidget(self.table)
        whole.addWidget(self.chosen)

    def follow(self) -> None:
        """Show the parameters of the kit in the selected variant."""
        kit, variant = self.session.kit, self.session.variant
        settings = resolve(kit.parameters, kit.variants, variant, self.session.view.state.time)
        own = kit.variant(variant).values if variant else {}
        bound = users_of_all(kit)
        known = [parameter.key for parameter in kit.parameters]
        self.key = self.key if self.key in known else (known[0] if known else "")
        self.table.blockSignals(True)
        self.table.clear()
        groups: dict[str, QTreeWidgetItem] = {}
        for parameter in kit.parameters:
            users = bound.get(parameter.key, [])
            item = QTreeWidgetItem([parameter.name, _told(settings[parameter.key], parameter), str(len(users))])
            item.setData(0, Qt.ItemDataRole.UserRole, parameter.key)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsEditable)
            names = ", ".join(dict.fromkeys(owner_name(kit, use.owner) for use in users))
            item.setToolTip(0, plain.tip(f"{parameter.help} Used by {names or 'nothing'}."))
            setting = settings[parameter.key]
            if isinstance(setting, tuple):
                pixmap = QPixmap(14, 14)
                pixmap.fill(QColor(encoded_to_hex(setting)))
                item.setIcon(1, QIcon(pixmap))
            font = item.font(1)
            font.setBold(parameter.key in own)
            item.setFont(1, font)
            if parameter.group and parameter.group not in groups:
                groups[parameter.group] = QTreeWidgetItem([parameter.group])
                groups[parameter.group].setFirstColumnSpanned(True)
                self.table.addTopLevelItem(groups[parameter.group])
            if parameter.group:
                groups[parameter.group].addChild(item)
            else:
                self.table.addTopLevelItem(item)
            if parameter.key == self.key:
                self.table.setCurrentItem(item)
        self.table.expandAll()
        self.table.blockSignals(False)
        self._show_chosen()

    def _show_chosen(self) -> None:
        self.chosen.setVisible(bool(self.key))
        if not self.key:
            return
        kit = self.session.kit
        parameter = kit.parameter(self.key)
        is_colour = parameter.kind == ValueKind.COLOUR
        show_choice(self.kind, parameter.kind)
        self.kind.setEnabled(not is_colour)
        for field, text in ((self.low, f"{parameter.low:g}"), (self.high, f"{parameter.high:g}"),
                            (self.group, parameter.group), (self.help, parameter.help)):  # fmt: skip
            if not field.hasFocus():
                field.setText(text)
                field.setCursorPosition(0)
        for field in (self.low, self.high):
            field.setVisible(parameter.kind in (ValueKind.NUMBER, ValueKind.ROW))
        at = [each.key for each in kit.parameters].index(self.key)
        self.earlier.setEnabled(at > 0)
        self.later.setEnabled(at < len(kit.parameters) - 1)
        places = [f"{owner_name(kit, use.owner)}: {use.spec.label.lower()}" for use in users_of(kit, self.key)]
        self.users.setText(f"Followed by {'; '.join(places)}." if places else "Nothing follows it.")
        shape = (self.key, parameter.kind, parameter.low, parameter.high)
        if shape != self._shape:
            self._shape = shape
            empty(self.value)
            self.editor = self._editor(parameter)
            self.value.addWidget(self.editor)
        moment = self.session.view.state.time
        setting = resolve(kit.parameters, kit.variants, self.session.variant, moment)[self.key]
        self.allowed.show_parameter(self.key)
        if isinstance(self.editor, SwatchEditor):
            assert isinstance(setting, tuple)
            self.editor.show_colour(setting)
        elif isinstance(self.editor, NumberRow):
            assert not isinstance(setting, tuple)
            self.editor.show_value(setting)
        elif isinstance(self.editor, QCheckBox):
            self.editor.setChecked(setting == 1)

    def _editor(self, parameter: Parameter) -> QWidget:
        def change(setting: Setting) -> None:
            variant, moment = self.session.variant, self.session.view.state.time
            self.session.do(commands.set_at_time(parameter.key, setting, variant, moment))

        if parameter.kind == ValueKind.COLOUR:
            swatch = SwatchEditor(parameter.name, self.session, folded=True)
            swatch.changed.connect(change)
            swatch.finished.connect(self.session.end_merge)
            swatch.pick_wanted.connect(lambda: self.pick_wanted.emit(swatch))
            return swatch
        if parameter.kind == ValueKind.SWITCH:
            box = QCheckBox("On")
            box.setAccessibleName(f"{parameter.name} on")
            box.clicked.connect(lambda on: change(float(on)))
            return box
        whole = parameter.kind == ValueKind.ROW
        decimals = 0 if whole else (1 if parameter.high - parameter.low > 20 else 3)
        number = NumberRow("Value", parameter.low, parameter.high, parameter.unit, decimals, parameter.help)
        number.changed.connect(lambda value: change(float(round(value)) if whole else value))
        number.finished.connect(self.session.end_merge)
        return number

    def _choose(self, item: QTreeWidgetItem | None) -> None:
        key = item.data(0, Qt.ItemDataRole.UserRole) if item is not None else None
        if key:
            self.key = str(key)
            self._show_chosen()

    def _rename(self, item: QTreeWidgetItem, column: int) -> None:
        key = item.data(0, Qt.ItemDataRole.UserRole)
        if column == 0 and key:
            self.session.do(commands.rename_parameter(str(key), item.text(0)))
        self.follow()

    def _set_kind(self) -> None:
        parameter, kind = self.session.kit.parameter(self.key), self.kind.currentData()
        try:
            low, high = float(self.low.text().replace(",", ".")), float(self.high.text().replace(",", "."))
        except ValueError:
            low, high = parameter.low, parameter.high
        if kind == ValueKind.SWITCH:
            low, high = 0.0, 1.0
        if (kind, low, high) != (parameter.kind, parameter.low, parameter.high):
            self.session.do(commands.set_parameter_kind(self.key, kind, low, high))
        self._show_chosen()

    def _describe(self) -> None:
        parameter = self.session.kit.parameter(self.key)
        group, told = self.group.text().strip(), self.help.text().strip()
        if (group, told) != (parameter.group, parameter.help):
            self.session.do(commands.describe_parameter(self.key, group, told))


def _told(setting: Setting, parameter: Parameter) -> str:
    if isinstance(setting, tuple):
        return encoded_to_hex(setting)
    if parameter.kind == ValueKind.SWITCH:
        return "on" if setting else "off"
    return f"{setting:g}{parameter.unit}"
