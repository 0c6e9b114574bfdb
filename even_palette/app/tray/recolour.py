"""Stage 5, Recolour: the coats of the selected cell, the values of one of them, and their parameters."""

from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QLineEdit, QVBoxLayout, QWidget

from even_palette.app import plain
from even_palette.app.controls import Fold, choice, empty, label, row, show_choice, tool
from even_palette.app.number import NumberRow
from even_palette.app.panel import Panel
from even_palette.app.session import Session
from even_palette.app.swatch.editor import SwatchEditor
from even_palette.app.tray.bindings import BindingButton, sharers
from even_palette.app.tray.cells import CellGrid
from even_palette.app.tray.coat_planes import AS_PATTERN, plane_editor, show_plane
from even_palette.app.tray.coats import CoatList
from even_palette.app.tray.copy_coat import copy_button
from even_palette.app.tray.kind_pictures import show_kinds
from even_palette.app.tray.mixed import mixed_values, show_mixed, title_of
from even_palette.app.tray.order import Order
from even_palette.app.tray.overcoats import default_buttons, suited_coat
from even_palette.app.tray.parameters import ParameterTable
from even_palette.app.tray.plane_use import PlaneUseEditor, StripBox
from even_palette.app.tray.recipe import HEAD_PX, RecipeRow, headed
from even_palette.app.tray.starts import StartChart, seen_colour
from even_palette.app.view_state import Hand
from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import (
    Overcoats,
    Owner,
    SheetOwner,
    coats_of,
    owner_name,
    users_of_all,
)
from even_palette.core.kit.commands import Command
from even_palette.core.kit.model import Focus
from even_palette.core.material.coats import COATS
from even_palette.core.material.declare import COMMON, PlaneSpec, Reads, ValueSpec
from even_palette.core.material.model import Blending, Coat, Setting, ValueKind
from even_palette.core.material.plane_numbers import PATTERN, numbers_of
from even_palette.core.results.cache import Seen
from even_palette.core.results.looks import Look
from even_palette.core.results.looks.coat import coats_that_vary


class RecolourPanel(Panel):
    """What the selected owner of coats wears; the chosen coat's values can be edited."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Recolour", "")
        self.coat = 0
        self.cell = label("", "section")
        self.coats = CoatList(session)
        self.coats.chosen.connect(self._choose_coat)
        self.coats.dropped.connect(self._drop)
        self.defaults = default_buttons(session, self._do_on_top)
        self.order = Order(
            "coat", COATS.values(), self.add, self._move,
            lambda: session.do(commands.remove_coat(session.owner, self.coat)), partial(show_kinds, session),
        )  # fmt: skip
        self.kind = choice("Coat", [(kind.label, kind.name) for kind in COATS.values()])
        self.kind.activated.connect(
            lambda i: session.do(commands.set_coat_kind(session.owner, self.kind.itemData(i), self.coat))
        )
        self.recipe_row = RecipeRow(session)
        self.copy = copy_button(session, lambda: self.coat)
        self.see = tool("See where the coat acts", "eye", "Show how far the chosen coat acts at each texel, as grey")
        self.see.setCheckable(True)
        self.see.clicked.connect(self._see)
        self.told = label("", "quiet")
        self.values = QVBoxLayout()
        self.values.setSpacing(8)
        self.blending = choice(
            "Blending", [("Blend in linear light", Blending.LINEAR), ("Blend encoded values", Blending.ENCODED)]
        )
        self.blending.setToolTip("How regions are mixed where weights are soft. Choose what your runtime does.")
        self.blending.activated.connect(lambda i: session.do(commands.set_blending(self.blending.itemData(i))))
        self.column.addWidget(self.cell)
        self.column.addWidget(self.coats)
        buttons = self.order.layout()
        buttons.insertWidget(0, self.kind, 1)
        buttons.insertWidget(1, self.see)
        self.column.addLayout(buttons)
        self.column.addLayout(row(*self.defaults))
        self.recipe_row.beside.addWidget(self.copy)
        self.column.addWidget(self.recipe_row)
        self.column.addWidget(self.told)
        self.column.addLayout(self.values)
        self.column.addStretch(1)
        self.parameters = ParameterTable(session)
        self.parameters.pick_wanted.connect(self.pick_wanted)
        self.all_parameters = Fold("Parameters")
        self.all_parameters.column.addWidget(self.parameters)
        self.all_parameters.head.clicked.connect(self.follow)
        self.column.addWidget(self.all_parameters)
        self.column.addLayout(headed("All", self.blending))
        self._shape: object = None
        self._seen = Seen()
        self.editors: dict[str, QWidget] = {}
        self.cells: CellGrid | None = None
        self.starts: StartChart | None = None
        self._lacks = False
        session.selection_changed.connect(self.follow)

    def refresh(self) -> None:
        at, owner = self.session.at, self.session.owner
        show_choice(self.blending, at.kit.blending)
        if not self.all_parameters.body.isHidden():
            self.parameters.follow()
        try:
            coats = coats_of(at.kit, owner)
        except KeyError:
            self._show_coats(())
            self.order.follow(0, 0, can_add=False)
            self.copy.setEnabled(False)
            self.see.setEnabled(False)
            self.recipe_row.setEnabled(False)
            self._show_nothing("No region is selected", "Make regions in stage 2 first.")
            return
        twin = f" · {at.kit.twin(at.twin)[1].name}" if at.twin else ""
        self.cell.setText(title_of(at.kit, self.session.cells) + twin)
        self.coat = min(self.coat, max(0, len(coats) - 1))
        self._show_coats(coats)
        for button in self.defaults:
            button.setVisible(isinstance(owner, Overcoats))
        self.recipe_row.setEnabled(True)
        self.recipe_row.show_owner(at, owner)
        self.copy.setEnabled(bool(coats_of(at.kit, owner)))
        self._show_seen()
        if not coats:
            self._show_nothing(self.cell.text(), "Coats here are put on the whole sheet, after those of all regions.")
            return
        kind = COATS[coats[self.coat].kind]
        show_choice(self.kind, kind.name)
        self.kind.setEnabled(True)
        self.kind.setToolTip(plain.tip(f"{kind.help} Coats are the same in all variants; their values differ."))
        self.told.setVisible(False)
        shape = self._shape_of(at, owner)
        if shape != self._shape:
            self._shape = shape
            self._build(at, owner)
        self._show_values(at, owner)

    def follow_made(self) -> None:
        """Values are never missing, pictures are: those of coats, of cells, of where a colour may start."""
        if self.starts is None and self.cells is None and not self._lacks:
            self.coats.follow_made()
        else:
            self.follow()

    # Where the coat acts

    def _acts(self) -> Look:
        return Look("coat", self.session.variant, coat=self.coat, owner=self.session.owner)

    def _see(self) -> None:
        self.look_wanted.emit(self._acts() if self.see.isChecked() else Look(variant=self.session.variant))

    def follow_look(self, look: Look) -> None:
        """Tell whether the stand shows where the chosen coat acts."""
        self.see.setChecked(look == self._acts())

    def _show_seen(self) -> None:
        """The chosen coat is another one: if the stand shows where one acts, it shows this, or the result again."""
        vary = coats_that_vary(self.session.at, self.session.owner)
        self.see.setEnabled(self.coat in vary)
        look = self.session.view.state.look
        if look.kind == "coat" and look != self._acts():
            self.look_wanted.emit(self._acts() if self.coat in vary else Look(variant=self.session.variant))
        self.follow_look(self.session.view.state.look)

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
        self.coats.show_coats(self.session.owner if coats else "", self.coat)
        self.order.follow(len(coats), self.coat, least=0 if isinstance(self.session.owner, Overcoats) else 1)

    def _choose_coat(self, index: int) -> None:
        self.coat = index
        self.refresh()

    def add(self, name: str) -> None:
        """Put a coat of a kind on top, with the planes that suit it best."""
        kind, coat = COATS[name], suited_coat(self.session.at, name)
        self._do_on_top(commands.add_coat(self.session.owner, coat))
        needed = [spec for spec in kind.planes if spec.needed and not spec.when]
        missing = [spec.label.lower() for spec in needed if spec.name not in coat.planes]
        if missing:
            self.session.notice.emit(
                f"{kind.label} reads a plane ({missing[0]}); open a map or make a bake for it, then choose it here."
            )

    def _do_on_top(self, command: Command) -> None:
        """Do what puts a coat on top, and choose that."""
        owner = self.session.owner
        if self.session.do(command):
            self.coat = len(coats_of(self.session.kit, owner)) - 1
            self.refresh()

    def _drop(self, coat: int, at: int) -> None:
        if self.session.do(commands.move_coat(self.session.owner, coat, at - coat)):
            self.coat = at
        self.refresh()  # also where it was refused: the list shows what is

    def _move(self, by: int) -> None:
        if self.session.do(commands.move_coat(self.session.owner, self.coat, by)):
            self.coat += by
            self.refresh()

    # The values of the chosen coat

    def _shape_of(self, at: Focus, owner: SheetOwner) -> object:
        """What decides which widgets there are; values alone are shown in the widgets that are there."""
        known = self._seen.get("shape", (at.kit.sheets, at.kit.recipes, at.kit.parameters), dict[object, object])
        place = owner, self.coat, self.session.variant
        if place not in known:
            known[place] = self._new_shape_of(at, owner)
        return known[place]

    def _new_shape_of(self, at: Focus, owner: SheetOwner) -> object:
        coat = coats_of(at.kit, owner)[self.coat]
        bound = commands.bound_parameters(at.kit, owner)
        users = users_of_all(at.kit)
        shared = {place: [use.owner for use in users.get(key, [])] for place, key in bound.items()}
        known = [(parameter.key, parameter.name, parameter.kind) for parameter in at.kit.parameters]
        ways = [coat.values.get(spec.name, spec.default) for spec in COATS[coat.kind].values if spec.choices]
        if isinstance(owner, str):
            ways += [at.kit.region(owner).recipe, *map(repr, at.kit.region(owner).own_values.items())]
        what = (owner, owner_name(at.kit, owner), self.coat, coat.kind)
        return (*what, ways, bound, shared, known, self.session.variant)

    def _build(self, at: Focus, owner: SheetOwner) -> None:
        empty(self.values)
        self.editors, self.cells, self.starts = {}, None, None
        coat = coats_of(at.kit, owner)[self.coat]
        kind = COATS[coat.kind]
        ways = {spec.name: str(coat.values.get(spec.name, spec.default)) for spec in kind.values if spec.choices}

        if kind.starts:
            self.starts = StartChart(kind)
            self.starts.chosen.connect(
                lambda name: self.session.do(commands.set_start(owner, self.coat, name, self.session.variant))
            )
            self.values.addWidget(self.starts)
        if any(plane.reads == Reads.ATLAS for plane in kind.planes):
            self.cells = CellGrid(self.session)
            self.cells.chosen.connect(lambda number: self._choose_cell(owner, number))
            self.values.addWidget(self.cells)
        values = [spec for spec in kind.values if spec.counts(ways)]
        several = sum(spec.kind == ValueKind.COLOUR for spec in values) > 1
        for spec in sorted(values, key=lambda spec: (spec in COMMON, spec.bindable)):
            self._add_value(at, owner, spec, spec.label, several)
        for plane in kind.planes:
            if not plane.counts(ways):
                continue
            self._add_plane(owner, plane)
            self._add_numbers(at, owner, plane.name)
        self._add_plane(owner, AS_PATTERN)
        self._add_numbers(at, owner, PATTERN)

    def _add_value(self, at: Focus, owner: SheetOwner, spec: ValueSpec, title: str, several: bool = False) -> None:
        """A value with its name, and how it is bound."""
        editor = self._editor(owner, spec, several)
        editor.setToolTip(plain.tip(spec.help))
        self.editors[spec.name] = editor
        if spec.kind == ValueKind.CHOICE:
            self.values.addLayout(headed(title, editor))
            return
        head, binding = label(title, "section"), BindingButton(self.session, at, owner, self.coat, spec)
        if spec.kind == ValueKind.NUMBER:
            head.setFixedWidth(HEAD_PX)
            binding.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonIconOnly)
            self.values.addLayout(row(head, editor, binding, stretch=1))
        else:
            self.values.addLayout(row(head, binding, stretch=0))
            self.values.addWidget(editor)
        if (others := sharers(at, owner, self.coat, spec)) != "":
            self.values.addWidget(label(f"Shared with {others}.", "quiet"))

    def _cells(self) -> list[tuple[Owner, str, int]]:
        """The cells that values are set in: that which is edited, and those chosen with it that wear such a coat."""
        return commands.cells_alike(self.session.kit, self.session.cells, self.session.owner, self.coat)

    def _add_numbers(self, at: Focus, owner: SheetOwner, plane: str) -> None:
        """The numbers of a plane that are not fixed, below it."""
        coat = coats_of(at.kit, owner)[self.coat]
        for name, (of, number, spec) in numbers_of(COATS[coat.kind]).items():
            if of == plane and name in coat.values:
                self._add_value(at, owner, spec, number.label)

    def _choose_cell(self, owner: SheetOwner, number: int) -> None:
        self.session.do(commands.set_cell_value(owner, "cell", float(number), self.session.variant, self.coat))

    def _add_plane(self, owner: SheetOwner, plane: PlaneSpec) -> None:
        editor = plane_editor(self.session, owner, self.coat, plane, self._paint)
        self.editors[f"plane {plane.name}"] = editor
        self.values.addWidget(label(plane.label, "section"))
        self.values.addWidget(editor)

    def _paint(self, tone: str) -> None:
        """Go to where a tone is painted; where nothing is painted yet, the model shows what it is painted for."""
        paint = self.session.at.sheet.tone(tone).paint
        if paint is not None and not paint.tiles:
            self.session.view.change(quiet=True, model_look=Look())
        self.session.view.change_toning(tone=tone)
        self.session.view.change_painter(hand=Hand.PAINT)
        self.stage_wanted.emit("Tones")
        self.look_wanted.emit(Look("tone", map=tone))

    def _editor(self, owner: SheetOwner, spec: ValueSpec, several: bool) -> QWidget:
        session = self.session

        def change(setting: Setting) -> None:
            session.do(commands.set_in_cells(self._cells(), spec.name, setting))

        if spec.kind == ValueKind.CHOICE:
            box = choice(spec.label, [(text, name) for name, text in spec.choices])
            box.activated.connect(
                lambda i: session.do(commands.choose_in_cells(self._cells(), spec.name, box.itemData(i)))
            )
            return box
        if spec.kind == ValueKind.COLOUR:
            swatch = SwatchEditor(spec.label, session, folded=several)
            swatch.changed.connect(change)
            swatch.finished.connect(session.end_merge)
            swatch.pick_wanted.connect(lambda: self.pick_wanted.emit(swatch))
            return swatch
        decimals = 1 if spec.high - spec.low > 20 else 3
        number = NumberRow(spec.label, spec.low, spec.high, spec.unit, decimals, spec.help, head=False)
        number.changed.connect(change)
        number.finished.connect(session.end_merge)
        return number

    def _show_values(self, at: Focus, owner: SheetOwner) -> None:
        cell, coat = commands.read_cell(at.kit, owner, self.session.variant), coats_of(at.kit, owner)[self.coat]
        choices, settings = cell.choices[self.coat], cell.settings[self.coat]
        if self.starts is not None:
            self.starts.show_colour(seen_colour(self.session, at, owner))
        if self.cells is not None and "cell" in settings:
            number = settings["cell"]
            assert not isinstance(number, tuple)
            self.cells.show_cells(at, coat.planes.get("atlas"), number)
        mixed, whole = mixed_values(at.kit, self._cells()), True
        for name, editor in self.editors.items():
            if name in mixed:
                assert isinstance(editor, QComboBox | SwatchEditor | NumberRow)
                show_mixed(editor)
            elif isinstance(editor, PlaneUseEditor | StripBox):
                whole = show_plane(self.session, at, editor, coat, name.removeprefix("plane ")) and whole
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
        self._lacks = not whole

    def focus_first(self) -> None:
        """Put the keyboard into the first value, as Enter on the board asks for."""
        if self.editors:
            values = [e for e in self.editors.values() if not isinstance(e, QComboBox | PlaneUseEditor)]
            editor = values[0] if values else self.kind
            target = editor.hex if isinstance(editor, SwatchEditor) else getattr(editor, "field", editor)
            target.setFocus()
            if isinstance(target, QLineEdit):
                target.selectAll()
