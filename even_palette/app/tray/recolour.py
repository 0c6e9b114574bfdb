"""Stage 5, Recolour: the coat of the selected cell, its values, and their parameters."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QLineEdit, QVBoxLayout, QWidget

from even_palette.app.number import NumberRow
from even_palette.app.session import Session
from even_palette.app.swatch.editor import SwatchEditor
from even_palette.app.tray.panel import Panel, choice, empty, label, row, show_choice, tool
from even_palette.core.kit import commands
from even_palette.core.kit.model import Focus, Region, users_of
from even_palette.core.material.coats import COATS
from even_palette.core.material.declare import ValueSpec
from even_palette.core.material.model import Blending, Setting, ValueKind
from even_palette.core.material.variants import MASTER


class RecolourPanel(Panel):
    pick_wanted = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Recolour", "")
        self.cell = label("", "section")
        self.kind = choice("Coat", [(kind.label, kind.name) for kind in COATS.values()])
        self.kind.activated.connect(lambda i: session.do(commands.set_coat_kind(session.region, self.kind.itemData(i))))
        self.told = label("", "quiet")
        self.values = QVBoxLayout()
        self.values.setSpacing(8)
        self.blending = choice(
            "Blending", [("Blend in linear light", Blending.LINEAR), ("Blend encoded values", Blending.ENCODED)]
        )
        self.blending.setToolTip("How regions are mixed where weights are soft. Choose what your runtime does.")
        self.blending.activated.connect(lambda i: session.do(commands.set_blending(self.blending.itemData(i))))
        for widget in (self.cell, self.kind, self.told):
            self.column.addWidget(widget)
        self.column.addLayout(self.values)
        self.column.addStretch(1)
        self.column.addWidget(label("All regions", "section"))
        self.column.addWidget(self.blending)
        self._shape: object = None
        self.editors: dict[str, QWidget] = {}
        session.selection_changed.connect(self.follow)

    def refresh(self) -> None:
        at = self.session.at
        show_choice(self.blending, at.kit.blending)
        region = next((r for r in at.sheet.regions if r.key == self.session.region), None)
        self.kind.setEnabled(region is not None)
        if region is None:
            self.cell.setText("No region is selected")
            self.told.setText("Make regions in stage 2 first.")
            empty(self.values)
            self._shape = None
            return
        self.cell.setText(f"{region.name} · {self.session.variant or 'Master'}")
        kind = COATS[region.coat.kind]
        show_choice(self.kind, kind.name)
        at_master = self.session.variant == MASTER
        self.kind.setToolTip(kind.help)
        self.told.setText("" if at_master else "One kind of coat for all variants.")
        self.told.setVisible(not at_master)
        shape = self._shape_of(at, region)
        if shape != self._shape:
            self._shape = shape
            self._build(at, region)
        self._show_values(at, region)

    def _shape_of(self, at: Focus, region: Region) -> object:
        """What decides which widgets there are; values alone are shown in the widgets that are there."""
        bound = commands.bound_parameters(at.kit, region.key)
        shared = {name: [use.region.name for use in users_of(at.kit, parameter)] for name, parameter in bound.items()}
        names = [(parameter.name, parameter.kind) for parameter in at.kit.parameters]
        return (region.key, region.name, region.coat.kind, bound, shared, names, self.session.variant)

    def _build(self, at: Focus, region: Region) -> None:
        empty(self.values)
        self.editors = {}
        for spec in sorted(COATS[region.coat.kind].values, key=lambda spec: spec.bindable):
            self.values.addWidget(label(spec.label, "section"))
            editor = self._editor(region, spec)
            editor.setToolTip(spec.help)
            self.editors[spec.name] = editor
            self.values.addWidget(editor)
            if spec.bindable:
                self._add_binding(at, region, spec)

    def _editor(self, region: Region, spec: ValueSpec) -> QWidget:
        session = self.session

        def change(setting: Setting) -> None:
            session.do(commands.set_cell_value(region.key, spec.name, setting, session.variant))

        if spec.kind == ValueKind.CHOICE:
            box = choice(spec.label, [(text, name) for name, text in spec.choices])
            box.activated.connect(lambda i: session.do(commands.set_choice(region.key, spec.name, box.itemData(i))))
            return box
        if spec.kind == ValueKind.COLOUR:
            swatch = SwatchEditor(spec.label)
            swatch.changed.connect(change)
            swatch.finished.connect(session.history.end_merge)
            swatch.pick_wanted.connect(lambda: self.pick_wanted.emit(swatch))
            return swatch
        decimals = 1 if spec.high - spec.low > 20 else 3
        number = NumberRow(spec.label, spec.low, spec.high, spec.unit, decimals, spec.help, head=False)
        number.changed.connect(change)
        number.finished.connect(session.history.end_merge)
        return number

    def _add_binding(self, at: Focus, region: Region, spec: ValueSpec) -> None:
        """Whether the value is fixed or bound, to which parameter, and who shares it."""
        session = self.session
        parameter = commands.bound_parameters(at.kit, region.key).get(spec.name)
        items: list[tuple[str, object]] = [("Fixed in the shader", ""), ("Parameter of its own", "new")]
        items += [(f"Parameter {p.name}", p.name) for p in at.kit.parameters if p.kind == spec.kind]
        box = choice(f"Binding of {spec.label}", items)
        show_choice(box, parameter or "")
        box.activated.connect(lambda i: self._bind(region.key, spec.name, parameter, str(box.itemData(i))))
        if parameter is None:
            self.values.addWidget(box)
            return
        link = tool(f"Unbind {spec.label}", "link-break", "Fix the value; the parameter goes if nothing else uses it")
        link.clicked.connect(lambda: session.do(commands.unbind(region.key, spec.name)))
        self.values.addLayout(row(box, link, stretch=0))
        others = [use.region.name for use in users_of(at.kit, parameter) if use.region.key != region.key]
        if others:
            self.values.addWidget(label(f"Shared with {', '.join(others)}.", "quiet"))

    def _bind(self, key: str, value_name: str, parameter: str | None, chosen: str) -> None:
        if chosen == "new":
            if parameter is not None:
                self.session.do(commands.unbind(key, value_name))
            self.session.do(commands.expose(key, value_name))
        elif chosen:
            self.session.do(commands.bind(key, value_name, chosen))
        else:
            self.session.do(commands.unbind(key, value_name))

    def _show_values(self, at: Focus, region: Region) -> None:
        cell = commands.read_cell(at.kit, region.key, self.session.variant)
        for name, editor in self.editors.items():
            if name in cell.choices:
                show_choice(editor, cell.choices[name])  # type: ignore[arg-type]
            elif isinstance(editor, SwatchEditor):
                setting = cell.settings[name]
                assert isinstance(setting, tuple)
                editor.show_colour(setting)
            elif isinstance(editor, NumberRow):
                value = cell.settings[name]
                assert not isinstance(value, tuple)
                editor.show_value(value)

    def focus_first(self) -> None:
        """Put the keyboard into the first value, as Enter on the board asks for."""
        if self.editors:
            editor = next((e for e in self.editors.values() if not isinstance(e, QComboBox)), self.kind)
            target = editor.hex if isinstance(editor, SwatchEditor) else getattr(editor, "field", editor)
            target.setFocus()
            if isinstance(target, QLineEdit):
                target.selectAll()
