"""The runtime's own hands: parameters as the game would show them, set live on the instances that are picked."""

from collections.abc import Sequence
from functools import partial

from PyQt6.QtWidgets import QCheckBox, QLineEdit, QPushButton, QWidget

from even_palette.app.controls import Fold, empty, label, row
from even_palette.app.number import NumberRow
from even_palette.app.session import Session
from even_palette.app.tray.allowed import Chips
from even_palette.core.colour.hexcode import encoded_to_hex, hex_to_encoded
from even_palette.core.kit import commands
from even_palette.core.kit.instances import Instance, Pick, settings_at
from even_palette.core.material.allowed import held
from even_palette.core.material.model import Parameter, Setting, ValueKind
from even_palette.core.material.variants import resolve


class RuntimePart(Fold):
    """By groups: swatches where the artist chose some, else colours held in what is allowed; ranges, switches."""

    def __init__(self, session: Session) -> None:
        super().__init__("As the game sets it")
        self.session = session
        self.picked: list[Instance] = []
        self.editors: dict[str, QWidget] = {}
        self._shape: object = None
        self.keep = QPushButton("Keep as variant")
        self.keep.setToolTip("Makes a variant of what is set here, which the picked instances are in")
        self.keep.clicked.connect(self._keep)
        self.drop = QPushButton("Drop")
        self.drop.setToolTip("The values of its variant again")
        self.drop.clicked.connect(self._drop)
        self.column.addLayout(row(self.keep, self.drop))
        self.told = label("", "quiet")
        self.column.addWidget(self.told)
        self.head.clicked.connect(lambda: self.show_picked(self.picked))

    def show_picked(self, picked: Sequence[Instance]) -> None:
        """Show the parameters that the meshes of instances follow; the first one's values stand for all."""
        self.picked = list(picked)
        if not picked or self.body.isHidden():
            return
        kit, first = self.session.kit, picked[0]
        parameters = self._followed()
        shape = [(p.key, p.name, p.kind, p.low, p.high, p.group, p.allowed.swatches) for p in parameters]
        if shape != self._shape:
            self._shape = shape
            while self.column.count() > 2:
                item = self.column.takeAt(2)
                if item is not None and (below := item.layout()) is not None:
                    empty(below)
                elif item is not None and (widget := item.widget()) is not None:
                    widget.hide()
                    widget.deleteLater()
            self.editors, group = {}, ""
            for parameter in parameters:
                if parameter.group and parameter.group != group:
                    self.column.addWidget(label(parameter.group, "section"))
                group = parameter.group
                self.editors[parameter.key] = self._editor(parameter)
        settings = {
            **resolve(kit.parameters, kit.variants, first.variant, self.session.view.state.time),
            **settings_at(first, kit.parameters_by_key, self.session.view.state.time),
        }
        for parameter in parameters:
            self._show(parameter, self.editors[parameter.key], settings[parameter.key])
        count = len({**first.values, **first.tracks})
        self.keep.setEnabled(count > 0)
        self.drop.setEnabled(any(each.values or each.tracks for each in picked))
        self.told.setText(
            f"{count} set here, all others as its variant has them." if count else "All as its variant has it."
        )

    def _followed(self) -> list[Parameter]:
        """What the sheets of the picked meshes follow, in the order of the kit."""
        from even_palette.core.kit.coat_owners import coats_of, followed_by, owners_on

        kit = self.session.kit
        sheets = {sheet for each in self.picked for sheet in kit.mesh(each.mesh).sheets}
        used = set().union(
            *(followed_by(coats_of(kit, owner)) for key in sheets for owner in owners_on(kit.sheet(key)))
        )
        return [parameter for parameter in kit.parameters if parameter.key in used]

    def _editor(self, parameter: Parameter) -> QWidget:
        name = label(parameter.name.replace("_", " "))
        name.setToolTip(parameter.help)
        set_it, set_once = partial(self._set, parameter.key), partial(self._set_once, parameter.key)
        if parameter.kind == ValueKind.SWITCH:
            box = QCheckBox(parameter.name.replace("_", " "))
            box.clicked.connect(lambda on: set_once(float(on)))
            self.column.addWidget(box)
            return box
        if parameter.kind != ValueKind.COLOUR:
            decimals = 0 if parameter.kind == ValueKind.ROW else 2
            called = parameter.name.replace("_", " ")
            number = NumberRow(called, parameter.low, parameter.high, parameter.unit, decimals, parameter.help)
            number.changed.connect(set_it)
            number.finished.connect(self.session.end_merge)
            self.column.addWidget(number)
            return number
        if parameter.allowed.swatches:
            chips = Chips(parameter.name)
            chips.taken.connect(lambda at: set_once(chips.colours[at]))
            self.column.addWidget(name)
            self.column.addWidget(chips)
            return chips
        code = QLineEdit()
        code.setAccessibleName(parameter.name)
        code.editingFinished.connect(lambda: self._typed(parameter.key, code.text()))
        self.column.addLayout(row(name, code, stretch=0))
        return code

    def _show(self, parameter: Parameter, editor: QWidget, setting: Setting) -> None:
        if isinstance(editor, Chips) and isinstance(setting, tuple):
            editor.show_colours(parameter.allowed.swatches, setting)
        elif isinstance(editor, QLineEdit) and isinstance(setting, tuple):
            if not editor.hasFocus():
                editor.setText(encoded_to_hex(setting))
        elif isinstance(editor, QCheckBox):
            editor.setChecked(setting == 1)
        elif isinstance(editor, NumberRow) and not isinstance(setting, tuple):
            editor.show_value(setting)

    # What is done

    def _typed(self, key: str, text: str) -> None:
        try:
            colour = hex_to_encoded(text)
        except ValueError as error:
            self.session.notice.emit(str(error))
            return
        self._set_once(key, held(self.session.kit.parameter(key).allowed, colour))

    def _set(self, key: str, setting: Setting) -> None:
        if self.picked:
            time = self.session.view.state.time
            self.session.do(commands.set_in_instances(self._scene, self._picks, key, setting, time))

    def _set_once(self, key: str, setting: Setting) -> None:
        self._set(key, setting)
        self.session.end_merge()

    @property
    def _scene(self) -> str:
        return self.session.view.state.scene

    @property
    def _picks(self) -> list[Pick]:
        return [(each.placing, each.number) for each in self.picked]

    def _drop(self) -> None:
        self.session.do(commands.set_instances(self._scene, self._picks, {"values": {}, "tracks": {}}))
        self.session.end_merge()

    def _keep(self) -> None:
        self.session.do(commands.keep_as_variant(self._scene, self._picks, "From the lineup"))
