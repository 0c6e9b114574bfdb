"""The stand: sheet and model panes, look selectors in the foot, wipe, spread and loupe."""

from collections.abc import Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import (
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from even_palette.app.choosing import Choice
from even_palette.app.session import Session
from even_palette.app.stand.canvas import Canvas
from even_palette.app.stand.element_layer import ElementLayer
from even_palette.app.stand.foot import Foot
from even_palette.app.stand.loupe import Loupe, view_around
from even_palette.app.stand.model_pane import ModelPane
from even_palette.app.stand.renderer import Renderer, to_image
from even_palette.app.stand.spread import spread_looks
from even_palette.app.stand.tiles import Tile
from even_palette.app.stand.time_and_seed import at_moment, labelled
from even_palette.app.view_state import Panes, ViewState
from even_palette.core.errors import NotReady, UserError
from even_palette.core.kit.model import Focus
from even_palette.core.material.variants import MASTER
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Plane
from even_palette.core.results.base_colour import base_colour_of
from even_palette.core.results.behind import over
from even_palette.core.results.cache import Seen
from even_palette.core.results.id_map import mask_size_of
from even_palette.core.results.looks import LOOKS, Chosen, Look, offered, picture
from even_palette.core.results.made_of import made_of
from even_palette.core.results.pictures import Picture, map_picture
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
        self._seen = Seen()
        self._lacks = False
        self._last_uv: tuple[float, float] | None = None
        self.picking = False
        self.canvas = Canvas(renderer, self)
        self.loupe = Loupe(self.canvas)
        self.model = ModelPane(session, renderer)
        self.model.hide()
        self.moment = session.moment
        self.moment.changed.connect(self.refresh)
        self.elements = ElementLayer(choice, self.canvas, self.model.canvas)
        self.splitter = QSplitter(Qt.Orientation.Horizontal)
        self.splitter.addWidget(self.canvas)
        self.splitter.addWidget(self.model)
        self.splitter.setChildrenCollapsible(False)
        self.foot = Foot(session)
        self._connect_foot()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self.splitter, 1)
        layout.addWidget(self.foot)
        session.shown_changed.connect(self.refresh)
        session.made.connect(self._follow_made)
        session.results.prepared.connect(renderer.take)
        session.selection_changed.connect(self._follow_selection)
        self.canvas.hovered.connect(self._hover)
        self.canvas.left_sheet.connect(self._leave)
        self.canvas.clicked.connect(self._click)
        self.canvas.camera_changed.connect(self._tell_zoom)
        self.model.canvas.face_clicked.connect(self._click_face)
        self.model.look_chosen.connect(self.refresh)

    def _connect_foot(self) -> None:
        foot = self.foot
        foot.look_box.look_chosen.connect(self.set_look)
        foot.other_box.look_chosen.connect(self.set_other)
        foot.wipe_button.clicked.connect(lambda on: self._change(wipe=on))
        foot.spread_button.clicked.connect(self.set_spread)
        foot.spread_menu.chosen.connect(lambda variants: self.set_spread(True, variants))
        foot.texels_button.clicked.connect(lambda _: self._filter())
        foot.loupe_button.clicked.connect(lambda _: self._toggle_loupe())
        foot.fit_button.clicked.connect(lambda _: self.canvas.fit())
        foot.one_button.clicked.connect(lambda _: self.canvas.one_to_one())
        foot.panes_chosen.connect(self.choose_panes)

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
        self.look_changed.emit(self.look)  # the result, where that look is not there

    def set_other(self, look: Look) -> None:
        """Look at something on the other side of the wipe."""
        self._change(other_look=look, wipe=True)

    def set_spread(self, spread: bool, of: tuple[str, ...] | None = None) -> None:
        """Show variants at once, all of them or these, or one look."""
        self.proof = []
        self._change(spread=spread, spread_of=self.state.spread_of if of is None else of, spread_far=False)
        self.look_changed.emit(self.look)

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
        seen = (self.look, self.state.other_look, self.state.model_look or self.look)
        return Chosen(variant, session.owner, session.region, seen)

    def looks(self, at: Focus) -> list[tuple[str, Look]]:
        """Everything that can be looked at, with its name; the same list while nothing but values changes."""
        return self._offered(at)[0]

    def _offered(self, at: Focus) -> tuple[list[tuple[str, Look]], dict[Look, str]]:
        known: dict[object, tuple[list[tuple[str, Look]], dict[Look, str]]] = self._seen.get("looks", made_of(at), dict)
        wanted = self._selected(at), tuple(at.kit.variant_names.items())
        if wanted not in known:
            found = offered(at, wanted[0])
            known[wanted] = found, {look: name for name, look in found}
        return known[wanted]

    def _follow_selection(self) -> None:
        """A look that hangs on what is selected becomes that of what is selected now."""
        look = LOOKS[self.look.kind].follows(self.look, self._selected(self.session.at))
        if look is not None:
            self.set_look(look)

    @property
    def pending(self) -> bool:
        """Whether what is seen is not yet what shall be seen."""
        return self.canvas.pending or self.model.canvas.pending

    def _follow_made(self) -> None:
        """Something is there that a view found missing, or better: if that was this one, it shows it."""
        if self._lacks:
            self.refresh()

    def refresh(self) -> None:
        """Show the looks of the kit that is ready."""
        before = self.session.results.missed
        self._show_looks()
        self.session.results.fulfil()
        self._lacks = self.session.results.missed != before or self.session.results.wishing

    def _show_looks(self) -> None:
        at = self.session.shown
        self.foot.wipe_button.setChecked(self.state.wipe)
        self.foot.spread_button.setChecked(self.state.spread)
        self.foot.other_box.setVisible(self.state.wipe)
        if at is None or not (at.sheet.sources or at.kit.meshes):
            present = self.session.at
            told = self.session.results.trouble if present.sheet.sources or present.kit.meshes else EMPTY
            self.canvas.show_message(told)
            self.model.canvas.show_message(told)
            self._fill_boxes(self.session.at)
            return
        there = self._offered(self.session.at)[1]
        looks = {"look": self.state.look, "other_look": self.state.other_look}
        kept = {name: look if look in there else Look() for name, look in looks.items()}
        self.session.view.change(quiet=True, **kept)
        if kept["look"] != looks["look"]:
            self.look_changed.emit(self.look)
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
                source = at.sheet.source(Role.BASE_COLOUR)
                painted = source is not None and source.plain is None
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

    def _model_looks(self, at: Focus) -> list[tuple[str, Look, str, Look | None]]:
        """What the model pane shows: label and look, and those of the other side of the wipe."""
        if self.state.spread:
            return [(labelled(name, self.state), look, "", None) for name, look in spread_looks(self.state, at)]
        names_of = self._offered(self.session.at)[1]
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
        self.foot.pane_buttons.button(list(Panes).index(panes)).setChecked(True)  # type: ignore[union-attr]
        self.canvas.setVisible(panes != Panes.MODEL)
        self.model.setVisible(panes != Panes.SHEET)
        self.model.look_box.setVisible(panes == Panes.BOTH)
        for widget in self.foot.of_sheet:
            widget.setVisible(panes != Panes.MODEL)
        if panes == Panes.BOTH:
            self.splitter.setSizes([1000, 1000])
        self.refresh()

    def _click_face(self, face: int, tile: int, add: bool) -> None:
        at = self.session.shown
        if self.state.spread and at is not None:
            self._choose_tile(at, tile)
            return
        self.face_picked.emit(face, add)

    def _showable(self, look: Look, at: Focus) -> Look:
        """The look, unless the kit that is shown does not have it yet."""
        return look if look in self._offered(at)[1] else Look()

    def _tiles(self, at: Focus) -> list[Tile]:
        if self.proof:
            return self.proof
        state = self.state
        if state.spread:
            return [Tile(labelled(name, state), self._picture(at, look)) for name, look in spread_looks(state, at)]
        names_of = self._offered(self.session.at)[1]
        label = labelled(names_of.get(self.look, "Result"), state)
        shown = self._picture(at, self._showable(self.look, at))
        if state.wipe:
            other = self._picture(at, self._showable(state.other_look, at))
            return [Tile(label, shown, names_of.get(state.other_look, "Result"), other)]
        return [Tile(label, shown)]

    def _picture(self, at: Focus, look: Look) -> Picture:
        """A look at the moment that is chosen, over what lies behind it."""
        return over(at_moment(at, look, picture(at, self.session.sheets, look), self.state), self.state.behind)

    def _fill_boxes(self, at: Focus) -> None:
        looks = self.looks(at)
        self.model.fill_looks(looks)
        self.foot.look_box.show_looks(looks, self.look)
        self.foot.other_box.show_looks(looks, self.state.other_look)

    def _filter(self) -> None:
        self.canvas.set_filtered(not self.foot.texels_button.isChecked())
        self.model.canvas.set_filtered(not self.foot.texels_button.isChecked())

    def _tell_zoom(self) -> None:
        self.foot.zoom_label.setText(f"{self.canvas.camera.zoom * 100:.0f} %" if self.canvas.tiles else "")

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
            self._choose_tile(at, tile)
            return
        self.picked.emit(u, v, add)

    def _choose_tile(self, at: Focus, tile: int) -> None:
        """Select the variant of a tile of the spread, or look from its distance."""
        look = spread_looks(self.state, at)[tile][1]
        if self.state.spread_far:
            self.set_spread(False)
            self.set_look(look)
        else:
            self.session.select(variant=look.variant)

    def _hover(self, u: float, v: float) -> None:
        self._last_uv = (u, v)
        self.choice.hover(self.elements.face_at(u, v))
        self.hovered.emit((u, v))
        self._update_loupe()

    def _leave(self) -> None:
        self.choice.hover(-1)
        self.hovered.emit(None)

    def show_place(self, left: float, top: float, right: float, bottom: float) -> None:
        """Go to a rectangle of uv, and the loupe to its middle."""
        self.canvas.show_place(left, top, right, bottom)
        self._last_uv = (left + right) / 2, (top + bottom) / 2
        self._update_loupe()

    def _toggle_loupe(self) -> None:
        self.loupe.setVisible(self.foot.loupe_button.isChecked())
        self._last_uv = self._last_uv or (0.5, 0.5)
        self._update_loupe()

    def _update_loupe(self) -> None:
        at = self.session.shown
        if not self.foot.loupe_button.isChecked() or self._last_uv is None or at is None or not at.sheet.sources:
            self.loupe.hide()
            return
        texel = self.texel_at(*self._last_uv)
        if texel is None:
            return
        width, height = self.canvas.camera.sheet
        place = int(self._last_uv[0] * width), int(self._last_uv[1] * height)
        try:
            shown = self._picture(at, self._showable(self.look, at))
        except UserError:
            return
        image = to_image(self.renderer.render(shown, view_around(place, (width, height)), filtered=False))
        self.loupe.show_texel(image, place, texel, at.sheet.regions, "texel")
        self._place_loupe()
        self.loupe.show()

    def _place_loupe(self) -> None:
        at = self.canvas.position_of(self._last_uv) if self._last_uv and not self.state.spread else None
        self.loupe.go_beside(at.toPoint() if at is not None else None)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._place_loupe()
