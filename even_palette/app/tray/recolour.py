"""Stage 5, Recolour: the coats of the selected cell, the values of one of them, and their parameters."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from even_palette.app.number import NumberRow
from even_palette.app.session import Session
from even_palette.app.swatch.editor import SwatchEditor
from even_palette.app.tray.order import Order
from even_palette.app.tray.panel import Panel, choice, empty, label, row, show_choice, tool
from even_palette.app.tray.plane_use import PlaneUseEditor, StripBox, strips_of
from even_palette.core.kit import commands
from even_palette.core.kit.model import OVER, Focus, coats_of, owner_name, users_of
from even_palette.core.material.coats import COATS
from even_palette.core.material.declare import CoatKind, PlaneSpec, Reads, ValueSpec
from even_palette.core.material.model import Blending, Coat, PlaneKind, PlaneRef, PlaneUse, Setting, ValueKind
from even_palette.core.material.variants import MASTER

HEAD_PX = 64
OF_ITS_OWN = "+"
"""The choice of a parameter that is not there yet; no key reads like it."""


class RecolourPanel(Panel):
    """What the selected owner of coats wears; the chosen coat's values can be edited."""

    pick_wanted = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Recolour", "")
        self.coat = 0
        self.cell = label("", "section")
        self.coat_box = choice("Coats in order", [])
        self.coat_box.activated.connect(self._choose_coat)
        self.order = Order(
            "coat", COATS.values(), self.add, self._move,
            lambda: session.do(commands.remove_coat(session.owner, self.coat)),
        )  # fmt: skip
        self.kind = choice("Coat", [(kind.label, kind.name) for kind in COATS.values()])
        self.kind.activated.connect(
            lambda i: session.do(commands.set_coat_kind(session.owner, self.kind.itemData(i), self.coat))
        )
        self.told = label("", "quiet")
        self.values = QVBoxLayout()
        self.values.setSpacing(8)
        self.blending = choice(
            "Blending", [("Blend in linear light", Blending.LINEAR), ("Blend encoded values", Blending.ENCODED)]
        )
        self.blending.setToolTip("How regions are mixed where weights are soft. Choose what your runtime does.")
        self.blending.activated.connect(lambda i: session.do(commands.set_blending(self.blending.itemData(i))))
        self.column.addWidget(self.cell)
        coats = self.order.layout()
        coats.insertWidget(0, self.coat_box, 1)
        self.column.addLayout(coats)
        for widget in (self.kind, self.told):
            self.column.addWidget(widget)
        self.column.addLayout(self.values)
        self.column.addStretch(1)
        self.column.addLayout(_headed("All", self.blending))
        self._shape: object = None
        self.editors: dict[str, QWidget] = {}
        session.selection_changed.connect(self.follow)

    def refresh(self) -> None:
        at, owner = self.session.at, self.session.owner
        show_choice(self.blending, at.kit.blending)
        try:
            coats = coats_of(at.kit, owner)
        except KeyError:
            self._show_coats(())
            self.order.follow(0, 0, can_add=False)
            self._show_nothing("No region is selected", "Make regions in stage 2 first.")
            return
        self.cell.setText(f"{owner_name(at.kit, owner)} · {at.kit.variant_names[self.session.variant]}")
        self.coat = min(self.coat, max(0, len(coats) - 1))
        self._show_coats(coats)
        if not coats:
            self._show_nothing(self.cell.text(), "Coats here are put on the whole sheet, after those of all regions.")
            return
        kind = COATS[coats[self.coat].kind]
        show_choice(self.kind, kind.name)
        at_master = self.session.variant == MASTER
        self.kind.setEnabled(True)
        self.kind.setToolTip(kind.help)
        self.told.setText("" if at_master else "The coats are the same in all variants; values differ.")
        self.told.setVisible(not at_master)
        shape = self._shape_of(at, owner)
        if shape != self._shape:
            self._shape = shape
            self._build(at, owner)
        self._show_values(at, owner)

    def _show_nothing(self, title: str, told: str) -> None:
        self.cell.setText(title)
        self.told.setText(told)
        self.told.setVisible(True)
        self.kind.setEnabled(False)
        empty(self.values)
        self.editors = {}
        self._shape = None

    # The list of coats

    def _show_coats(self, coats: tuple[Coat, ...]) -> None:
        self.coat_box.blockSignals(True)
        self.coat_box.clear()
        for number, coat in enumerate(coats, 1):
            where = " by pattern" if coat.pattern else ""
            self.coat_box.addItem(f"{number}  {COATS[coat.kind].label}{where}", number - 1)
        self.coat_box.setCurrentIndex(self.coat if coats else -1)
        self.coat_box.blockSignals(False)
        self.order.follow(len(coats), self.coat, least=0 if self.session.owner.startswith(OVER) else 1)

    def _choose_coat(self, index: int) -> None:
        self.coat = index
        self.refresh()

    def add(self, kind: CoatKind) -> None:
        """Put a coat of a kind on top, with the planes that suit it best."""
        at, owner = self.session.at, self.session.owner
        planes = {spec.name: use for spec in kind.planes if (use := suited(at, spec)) is not None}
        if self.session.do(commands.add_coat(owner, Coat(kind.name, planes=planes))):
            self.coat = len(coats_of(self.session.kit, owner)) - 1
            self.refresh()
        missing = [spec.label.lower() for spec in kind.planes if spec.name not in planes]
        if missing:
            self.session.notice.emit(
                f"{kind.label} reads a {missing[0]}; open a map or make a bake for it, then choose it here."
            )

    def _move(self, by: int) -> None:
        if self.session.do(commands.move_coat(self.session.owner, self.coat, by)):
            self.coat += by
            self.refresh()

    # The values of the chosen coat

    def _shape_of(self, at: Focus, owner: str) -> object:
        """What decides which widgets there are; values alone are shown in the widgets that are there."""
        coat = coats_of(at.kit, owner)[self.coat]
        bound = commands.bound_parameters(at.kit, owner)
        shared = {place: [use.owner for use in users_of(at.kit, key)] for place, key in bound.items()}
        known = [(parameter.key, parameter.name, parameter.kind) for parameter in at.kit.parameters]
        return (owner, owner_name(at.kit, owner), self.coat, coat.kind, bound, shared, known, self.session.variant)

    def _build(self, at: Focus, owner: str) -> None:
        empty(self.values)
        self.editors = {}
        kind = COATS[coats_of(at.kit, owner)[self.coat].kind]
        for spec in sorted(kind.values, key=lambda spec: spec.bindable):
            editor = self._editor(owner, spec)
            editor.setToolTip(spec.help)
            self.editors[spec.name] = editor
            if spec.kind == ValueKind.CHOICE:
                self.values.addLayout(_headed(spec.label, editor))
                continue
            self.values.addWidget(label(spec.label, "section"))
            self.values.addWidget(editor)
            if spec.bindable:
                self._add_binding(at, owner, spec)
        for plane in kind.planes:
            editor = (
                StripBox(plane.label, plane.strips)
                if plane.reads == Reads.STRIP
                else PlaneUseEditor(plane.label, "Nothing is read", plane.reads == Reads.INDEX)
            )
            self._add_plane(plane.label, plane.help, f"plane {plane.name}", editor, plane.name)
        pattern = PlaneUseEditor("Pattern", "Everywhere")
        self._add_plane("Pattern", "Where the coat acts: 0 not at all, 1 wholly.", "pattern", pattern, "")

    def _add_plane(self, title: str, told: str, name: str, editor: StripBox | PlaneUseEditor, plane: str) -> None:
        owner, coat = self.session.owner, self.coat
        editor.setToolTip(told)

        def change(use: PlaneUse | None) -> None:
            if plane:
                self.session.do(commands.set_coat_plane(owner, coat, plane, use))
            else:
                self.session.do(commands.set_pattern(owner, coat, use))

        editor.changed.connect(change)
        editor.finished.connect(self.session.history.end_merge)
        self.editors[name] = editor
        self.values.addLayout(_headed(title, editor))

    def _editor(self, owner: str, spec: ValueSpec) -> QWidget:
        session, coat = self.session, self.coat

        def change(setting: Setting) -> None:
            session.do(commands.set_cell_value(owner, spec.name, setting, session.variant, coat))

        if spec.kind == ValueKind.CHOICE:
            box = choice(spec.label, [(text, name) for name, text in spec.choices])
            box.activated.connect(lambda i: session.do(commands.set_choice(owner, spec.name, box.itemData(i), coat)))
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

    def _add_binding(self, at: Focus, owner: str, spec: ValueSpec) -> None:
        """Whether the value is fixed or bound, to which parameter, and who shares it."""
        session, coat = self.session, self.coat
        parameter = commands.bound_parameters(at.kit, owner).get((coat, spec.name))
        items: list[tuple[str, object]] = [("Fixed in the shader", ""), ("Parameter of its own", OF_ITS_OWN)]
        items += [
            (f"Parameter {p.name}", p.key) for p in at.kit.parameters if p.key == parameter or commands.fits(p, spec)
        ]
        box = choice(f"Binding of {spec.label}", items)
        show_choice(box, parameter or "")
        box.activated.connect(lambda i: self._bind(owner, spec.name, parameter, str(box.itemData(i))))
        if parameter is None:
            self.values.addWidget(box)
            return
        link = tool(f"Unbind {spec.label}", "link-break", "Fix the value; a parameter without users goes at the save")
        link.clicked.connect(lambda: session.do(commands.unbind(owner, spec.name, coat)))
        self.values.addLayout(row(box, link, stretch=0))
        places = [use for use in users_of(at.kit, parameter) if (use.owner, use.coat) != (owner, coat)]
        others = dict.fromkeys(owner_name(at.kit, use.owner) for use in places)
        if others:
            self.values.addWidget(label(f"Shared with {', '.join(others)}.", "quiet"))

    def _bind(self, owner: str, value_name: str, parameter: str | None, chosen: str) -> None:
        if chosen == OF_ITS_OWN:
            if parameter is not None:
                self.session.do(commands.unbind(owner, value_name, self.coat))
            self.session.do(commands.expose(owner, value_name, self.coat))
        elif chosen:
            self.session.do(commands.bind(owner, value_name, chosen, self.coat))
        else:
            self.session.do(commands.unbind(owner, value_name, self.coat))

    def _show_values(self, at: Focus, owner: str) -> None:
        cell, coat = commands.read_cell(at.kit, owner, self.session.variant), coats_of(at.kit, owner)[self.coat]
        choices, settings = cell.choices[self.coat], cell.settings[self.coat]
        for name, editor in self.editors.items():
            if isinstance(editor, PlaneUseEditor | StripBox):
                use = coat.pattern if name == "pattern" else coat.planes.get(name.removeprefix("plane "))
                editor.show_use(at, use)
            elif name in choices:
                show_choice(editor, choices[name])  # type: ignore[arg-type]
            elif isinstance(editor, SwatchEditor):
                setting = settings[name]
                assert isinstance(setting, tuple)
                editor.show_colour(setting)
            elif isinstance(editor, NumberRow):
                value = settings[name]
                assert not isinstance(value, tuple)
                editor.show_value(value)

    def focus_first(self) -> None:
        """Put the keyboard into the first value, as Enter on the board asks for."""
        if self.editors:
            values = [e for e in self.editors.values() if not isinstance(e, QComboBox | PlaneUseEditor)]
            editor = values[0] if values else self.kind
            target = editor.hex if isinstance(editor, SwatchEditor) else getattr(editor, "field", editor)
            target.setFocus()
            if isinstance(target, QLineEdit):
                target.selectAll()


def suited(at: Focus, spec: PlaneSpec) -> PlaneUse | None:
    """The first plane of a sheet that suits a coat: a map of one of its roles, else a bake of one of its kinds."""
    for role in spec.roles:
        if (source := at.sheet.source(role)) is not None:
            return PlaneUse(PlaneRef(PlaneKind.MAP, source.key))
    for kind in spec.bakes:
        for bake in at.sheet.bakes:
            if bake.kind == kind:
                return PlaneUse(PlaneRef(PlaneKind.BAKE, bake.key))
    for kind in spec.tones:
        for tone in at.sheet.tones:
            if tone.kind == kind:
                return PlaneUse(PlaneRef(PlaneKind.TONE, tone.key))
    for _, ref in strips_of(at, spec.strips):
        assert isinstance(ref, PlaneRef)
        return PlaneUse(ref)
    return None


def _headed(text: str, editor: QWidget) -> QHBoxLayout:
    """A control behind its name."""
    name = label(text, "section")
    name.setFixedWidth(HEAD_PX)
    return row(name, editor, stretch=1)
