"""The stand: sheet and model panes, look selectors in the foot, wipe, spread and loupe."""

from collections.abc import Callable, Sequence
from functools import partial

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QHBoxLayout,
    QMenu,
    QSizePolicy,
    QSplitter,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from even_palette.app import plain
from even_palette.app.choosing import Choice
from even_palette.app.session import Session
from even_palette.app.stand.canvas import Canvas
from even_palette.app.stand.element_layer import ElementLayer
from even_palette.app.stand.loupe import TEXELS, Loupe
from even_palette.app.stand.model_pane import ModelPane
from even_palette.app.stand.renderer import Renderer, to_image
from even_palette.app.stand.tiles import Tile
from even_palette.app.stand.time_and_seed import Moment, at_moment, labelled
from even_palette.app.theme import set_icon
from even_palette.app.view_state import Panes, ViewState
from even_palette.core.errors import NotReady, UserError
from even_palette.core.kit.model import Focus
from even_palette.core.material.variants import MASTER
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Plane
from even_palette.core.results.base_colour import base_colour_of
from even_palette.core.results.id_map import mask_size_of
from even_palette.core.results.looks import LOOKS, Chosen, Look, offered, picture
from even_palette.core.results.pictures import Picture, View, map_picture
from even_palette.core.results.texels import Texel, read_texel

EMPTY = "Open a base colour map and an ID map: drop them here, or use Open maps in Source."


class Stand(QWidget):
    """Looks at the session's shown kit. Clicks and hovers on the sheet are passed on in uv, on the model by face."""

    picked = pyqtSignal(float, float, bool)
    face_picked = pyqtSignal(int, bool)
    eyedropped = pyqtSignal(object)
    hovered = pyqtSignal(object)
    look_changed = pyqtSignal(object)

    def __init__(self, session: Session, renderer: Renderer, choice: Choice, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.renderer, self.choice = session, renderer, choice
        self.proof: list[Tile] = []
        self._last_uv: tuple[float, float] | None = None
        self.picking = False
        self.canvas = Canvas(renderer, self)
        self.loupe = Loupe(self.canvas)
        self.loupe.hide()
        self.model = ModelPane(session, renderer)
        self.model.hide()
        self.moment = Moment(session.view, self)
        self.moment.changed.connect(self.refresh)
        self.elements = ElementLayer(choice, self.canvas, self.model.canvas)
        self.splitter = QSplitter(Qt.Orientation.Horizontal)
        self.splitter.addWidget(self.canvas)
        self.splitter.addWidget(self.model)
        self.splitter.setChildrenCollapsible(False)
        self._build_foot()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self.splitter, 1)
        layout.addWidget(self._foot)
        session.shown_changed.connect(self.refresh)
        session.made.connect(self.refresh)
        session.results.prepared.connect(renderer.take)
        session.selection_changed.connect(self._follow_selection)
        self.canvas.hovered.connect(self._hover)
        self.canvas.left_sheet.connect(self._leave)
        self.canvas.clicked.connect(self._click)
        self.canvas.camera_changed.connect(self._tell_zoom)
        self.model.canvas.face_clicked.connect(self._click_face)
        self.model.look_chosen.connect(self.refresh)

    def _build_foot(self) -> None:
        self._foot = QWidget(self)
        self._foot.setObjectName("foot")
        row = QHBoxLayout(self._foot)
        row.setContentsMargins(8, 4, 8, 4)
        row.setSpacing(6)
        self.look_box = self._look_box("Look", lambda look: self.set_look(look))
        self.wipe_button = self._toggle(
            "Wipe",
            "Compare two looks left and right of a draggable edge (W)",
            lambda: self._change(wipe=self.wipe_button.isChecked()),
        )
        self.other_box = self._look_box("Other look", lambda look: self.set_other(look))
        self.spread_button = self._toggle("Spread", "Variants beside each other (S); choose which", self._spread)
        self.spread_menu = QMenu(self.spread_button)
        self.spread_menu.aboutToShow.connect(self._fill_spread_menu)
        self.spread_button.setMenu(self.spread_menu)
        self.spread_button.setPopupMode(QToolButton.ToolButtonPopupMode.MenuButtonPopup)
        self.texels_button = self._toggle(
            "Texels", "Show texels as squares instead of the filter of a runtime (T)", self._filter
        )
        self.loupe_button = self._toggle("Loupe", "Enlarge the texel under the cursor (L)", self._toggle_loupe)
        self.zoom_label = plain.Label()
        self.zoom_label.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.zoom_label.setMinimumWidth(52)
        fit = self._button("Fit", "Fit the sheet into the pane (F)", self.canvas.fit)
        one = self._button("1:1", "One pixel a texel (F twice)", self.canvas.one_to_one)
        self.pane_buttons = QButtonGroup(self)
        for panes, icon_name, tip in (
            (Panes.SHEET, "square", "The sheet alone (Alt+1)"),
            (Panes.MODEL, "cube", "The model alone (Alt+2)"),
            (Panes.BOTH, "columns", "Sheet and model beside each other (Alt+3)"),
        ):
            button = self._toggle(panes.value, tip, partial(self.choose_panes, panes))
            button.setText("")
            set_icon(button, icon_name)
            self.pane_buttons.addButton(button, list(Panes).index(panes))
            row.addWidget(button)
        left: list[QWidget] = [self.look_box, self.wipe_button, self.other_box, self.spread_button]
        self._of_sheet: list[QWidget] = [self.loupe_button, self.zoom_label, fit, one]
        right: list[QWidget] = [self.texels_button, self.loupe_button, self.zoom_label, fit, one]
        for widget in left:
            row.addWidget(widget, 4 if isinstance(widget, QComboBox) else 0)
        row.addStretch(1)
        for widget in right:
            row.addWidget(widget)

    def _look_box(self, name: str, chosen: Callable[[Look], None]) -> QComboBox:
        box = QComboBox()
        box.setAccessibleName(name)
        box.setMinimumWidth(96)
        box.setMaximumWidth(190)
        box.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        box.activated.connect(lambda index: chosen(box.itemData(index)))
        return box

    def _toggle(self, text: str, tip: str, act: Callable[[], object]) -> QToolButton:
        button = self._button(text, tip, act)
        button.setCheckable(True)
        return button

    def _button(self, text: str, tip: str, act: Callable[[], object]) -> QToolButton:
        button = QToolButton()
        button.setText(text)
        button.setToolTip(plain.tip(tip))
        button.setAccessibleName(text)
        button.clicked.connect(lambda _: act())
        return button

    # Looks

    @property
    def state(self) -> ViewState:
        """What is looked at."""
        return self.session.view.state

    @property
    def look(self) -> Look:
        """What the sheet pane looks at."""
        return self.state.look

    @property
    def panes(self) -> Panes:
        """Which panes are there."""
        return self.state.panes

    def set_look(self, look: Look) -> None:
        """Look at something; what the player showed goes."""
        self.session.results.bake_again()
        self.proof = []
        self._change(look=look)
        self.look_changed.emit(look)

    def set_other(self, look: Look) -> None:
        """Look at something on the other side of the wipe."""
        self._change(other_look=look, wipe=True)

    def set_spread(self, spread: bool) -> None:
        """Show all variants at once, or one look."""
        self.proof = []
        self._change(spread=spread)

    def _fill_spread_menu(self) -> None:
        """Each variant, checked where the spread shows it."""
        self.spread_menu.clear()
        every = self.spread_menu.addAction("All variants")
        assert every is not None
        every.triggered.connect(lambda: self._change(spread=True, spread_of=()))
        self.spread_menu.addSeparator()
        shown = self._spread_now()
        for key, name in self.session.at.kit.variant_names.items():
            action = self.spread_menu.addAction(plain.item(name))
            assert action is not None
            action.setCheckable(True)
            action.setChecked(key in shown)
            action.triggered.connect(lambda on, key=key: self._spread_with(key, on))

    def _spread_with(self, variant: str, on: bool) -> None:
        """Show a variant in the spread, or not; the last one stays."""
        names, shown = self.session.at.kit.variant_names, self._spread_now()
        shown = shown | {variant} if on else shown - {variant}
        self._change(spread=True, spread_of=tuple(key for key in names if key in shown) or (variant,))

    def _spread_now(self) -> set[str]:
        return set(self.spread_of(self.session.at)) if self.state.spread or self.state.spread_of else set()

    def spread_of(self, at: Focus) -> list[str]:
        """The variants that the spread shows, in their order."""
        chosen = [key for key in at.kit.variant_names if key in self.state.spread_of]
        return chosen or list(at.kit.variant_names)

    def _spread(self) -> None:
        self._change(spread=self.spread_button.isChecked())

    def _change(self, **fields: object) -> None:
        self.session.view.change(quiet=True, **fields)
        self.refresh()

    def show_proof(self, own: Plane, played: Plane, difference: Plane, text: str) -> None:
        """Show three pictures of equal size beside each other."""
        self.show_pictures((f"Even Palette · {text}", f"Player · {text}", "Difference × 64"), (own, played, difference))

    def show_pictures(self, labels: Sequence[str], planes: Sequence[Plane]) -> None:
        """Show planes of equal size beside each other, until another look is chosen."""
        self.proof = [Tile(label, map_picture(plane)) for label, plane in zip(labels, planes, strict=True)]
        self.refresh()

    def _selected(self, at: Focus) -> Chosen:
        """What is selected, as looks at a kit take it: one that is shown may be older than the selection."""
        session = self.session
        variant = session.variant if session.variant in at.kit.variant_names else MASTER
        return Chosen(variant, session.owner, session.region, self.look)

    def looks(self, at: Focus) -> list[tuple[str, Look]]:
        """Everything that can be looked at, with its name."""
        return offered(at, self._selected(at))

    def _follow_selection(self) -> None:
        """A look that hangs on what is selected becomes that of what is selected now."""
        look = LOOKS[self.look.kind].follows(self.look, self._selected(self.session.at))
        if look is not None:
            self.set_look(look)

    @property
    def pending(self) -> bool:
        """Whether what is seen is not yet what shall be seen."""
        return self.canvas.pending or self.model.canvas.pending

    def refresh(self) -> None:
        """Show the looks of the kit that is ready."""
        at = self.session.shown
        self.wipe_button.setChecked(self.state.wipe)
        self.spread_button.setChecked(self.state.spread)
        self.other_box.setVisible(self.state.wipe)
        if at is None or not (at.sheet.sources or at.kit.meshes):
            present = self.session.at
            told = self.session.results.trouble if present.sheet.sources or present.kit.meshes else EMPTY
            self.canvas.show_message(told)
            self.model.canvas.show_message(told)
            self._fill_boxes(self.session.at)
            return
        there = [look for _, look in self.looks(self.session.at)]
        kept = {name: look if look in there else Look() for name, look in self._chosen().items()}
        self.session.view.change(quiet=True, **kept)
        self._fill_boxes(self.session.at)
        other = self.state.other_look if self.state.wipe else None
        wanted = [look for look in (self.look, other, self.state.model_look) if look is not None]
        for look in wanted:
            if look.kind == "bake":
                self.session.results.want_bake(look.bake)
        if not self.session.results.wants(wanted):
            return
        if self.panes != Panes.MODEL:
            try:
                base = base_colour_of(at, self.session.sheets)
                painted = at.sheet.source(Role.BASE_COLOUR) is not None
                size = (base.width, base.height) if painted else mask_size_of(at, self.session.sheets)
                self.canvas.show_tiles(self._tiles(at), size)
            except NotReady as missing:
                if told := self.session.results.make(missing):
                    self.canvas.show_message(told)
            except UserError as error:
                self.canvas.show_message(self.session.results.bake_state(self.look.bake) or str(error))
        if self.panes != Panes.SHEET:
            self.model.show_looks(at, self._model_looks(at))
        self._update_loupe()
        self.elements.mark()

    def _chosen(self) -> dict[str, Look]:
        return {"look": self.state.look, "other_look": self.state.other_look}

    def _model_looks(self, at: Focus) -> list[tuple[str, Look, str, Look | None]]:
        """What the model pane shows: label and look, and those of the other side of the wipe."""
        if self.state.spread:
            names = at.kit.variant_names
            return [(labelled(names[key], self.state), Look(variant=key), "", None) for key in self.spread_of(at)]
        names_of = {look: name for name, look in self.looks(self.session.at)}
        look = self._showable(self.state.model_look or self.look, at)
        other = self._showable(self.state.other_look, at) if self.state.wipe else None
        label = labelled(names_of.get(look, ""), self.state)
        return [(label, look, names_of.get(other, "") if other else "", other)]

    def choose_panes(self, panes: Panes) -> None:
        """The artist's wish, which no stage changes any more."""
        self.session.view.change(quiet=True, panes_chosen=True)
        self.set_panes(panes)

    def suggest_panes(self, panes: Panes) -> None:
        """Show panes that suit, unless the artist chose others."""
        if not self.state.panes_chosen and self.panes != panes:
            self.set_panes(panes)

    def set_panes(self, panes: Panes) -> None:
        """Show the sheet, the model, or both."""
        own = {"model_look": None} if panes == Panes.MODEL else {}
        self.session.view.change(quiet=True, panes=panes, **own)
        self.pane_buttons.button(list(Panes).index(panes)).setChecked(True)  # type: ignore[union-attr]
        self.canvas.setVisible(panes != Panes.MODEL)
        self.model.setVisible(panes != Panes.SHEET)
        self.model.look_box.setVisible(panes == Panes.BOTH)
        for widget in self._of_sheet:
            widget.setVisible(panes != Panes.MODEL)
        if panes == Panes.BOTH:
            self.splitter.setSizes([1000, 1000])
        self.refresh()

    def _click_face(self, face: int, tile: int, add: bool) -> None:
        at = self.session.shown
        if self.state.spread and at is not None:
            self.session.select(variant=self.spread_of(at)[tile])
            return
        self.face_picked.emit(face, add)

    def _showable(self, look: Look, at: Focus) -> Look:
        """The look, unless the kit that is shown does not have it yet."""
        return look if look in [there for _, there in self.looks(at)] else Look()

    def _tiles(self, at: Focus) -> list[Tile]:
        if self.proof:
            return self.proof

        def now(label: str) -> str:
            return labelled(label, self.state)

        if self.state.spread:
            names = at.kit.variant_names
            return [Tile(now(names[key]), self._picture(at, Look(variant=key))) for key in self.spread_of(at)]
        names_of = {look: name for name, look in self.looks(self.session.at)}
        label, shown = now(names_of.get(self.look, "Result")), self._picture(at, self._showable(self.look, at))
        if self.state.wipe:
            other = self._picture(at, self._showable(self.state.other_look, at))
            return [Tile(label, shown, names_of.get(self.state.other_look, "Result"), other)]
        return [Tile(label, shown)]

    def _picture(self, at: Focus, look: Look) -> Picture:
        """A look at the moment that is chosen."""
        return at_moment(picture(at, self.session.sheets, look), self.state)

    def _fill_boxes(self, at: Focus) -> None:
        looks = self.looks(at)
        self.model.fill_looks(looks)
        for box, current in ((self.look_box, self.look), (self.other_box, self.state.other_look)):
            box.blockSignals(True)
            if [box.itemText(i) for i in range(box.count())] != [name for name, _ in looks]:
                box.clear()
                for name, look in looks:
                    box.addItem(name, look)
            for index in range(box.count()):
                box.setItemData(index, looks[index][1])
                if looks[index][1] == current:
                    box.setCurrentIndex(index)
            box.blockSignals(False)

    def _filter(self) -> None:
        self.canvas.set_filtered(not self.texels_button.isChecked())
        self.model.canvas.set_filtered(not self.texels_button.isChecked())

    def _tell_zoom(self) -> None:
        self.zoom_label.setText(f"{self.canvas.camera.zoom * 100:.0f} %" if self.canvas.tiles else "")

    # Cursor

    def start_picking(self) -> None:
        """Let the next click on the stand give its colour."""
        self.picking = True
        self.canvas.set_picking(True)

    def stop_picking(self) -> None:
        """Let clicks mean again what they mean in the stage."""
        self.picking = False
        self.canvas.set_picking(False)

    def texel_at(self, u: float, v: float) -> Texel | None:
        """Exact values of the present look at a uv, if there are any."""
        at = self.session.shown
        if at is None:
            return None
        try:
            moment = self.state.time, self.state.seed
            return read_texel(at, self.session.sheets, self._showable(self.look, at), (u, v), *moment)
        except UserError:
            return None

    def _click(self, u: float, v: float, tile: int, add: bool) -> None:
        at = self.session.shown
        if self.picking:
            texel = self.texel_at(u, v)
            self.stop_picking()
            if texel:
                self.eyedropped.emit(texel.encoded)
            return
        if self.state.spread and not self.proof and at is not None:
            self.session.select(variant=self.spread_of(at)[tile])
            return
        self.picked.emit(u, v, add)

    def _hover(self, u: float, v: float) -> None:
        self._last_uv = (u, v)
        self.choice.hover(self.elements.face_at(u, v))
        self.hovered.emit((u, v))
        self._update_loupe()

    def _leave(self) -> None:
        self.choice.hover(-1)
        self.hovered.emit(None)

    def _toggle_loupe(self) -> None:
        self.loupe.setVisible(self.loupe_button.isChecked())
        if self._last_uv is None:
            self._last_uv = (0.5, 0.5)
        self._update_loupe()

    def _update_loupe(self) -> None:
        at = self.session.shown
        if not self.loupe_button.isChecked() or self._last_uv is None or at is None or not at.sheet.sources:
            self.loupe.hide()
            return
        texel = self.texel_at(*self._last_uv)
        if texel is None:
            return
        width, height = self.canvas.camera.sheet
        column, row = int(self._last_uv[0] * width), int(self._last_uv[1] * height)
        half = TEXELS // 2
        view = View(((column - half) / width, (row - half) / height), (1 / width, 1 / height), TEXELS, TEXELS)
        try:
            shown = self._picture(at, self._showable(self.look, at))
        except UserError:
            return
        image = to_image(self.renderer.render(shown, view, filtered=False))
        self.loupe.show_texel(image, (column, row), texel, at.sheet.regions, "texel")
        self._place_loupe()
        self.loupe.show()

    def _place_loupe(self) -> None:
        """In the upper right corner, or the upper left one if the cursor is near it."""
        right = self.canvas.width() - self.loupe.width() - 12
        at = self.canvas.position_of(self._last_uv) if self._last_uv and not self.state.spread else None
        near = at is not None and at.x() > right - 40 and at.y() < self.loupe.height() + 40
        self.loupe.move(QPoint(12 if near else right, 12))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._place_loupe()
