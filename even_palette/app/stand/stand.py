"""The stand: canvas, look selectors in the foot, wipe, spread and loupe."""

from collections.abc import Callable

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QToolButton, QVBoxLayout, QWidget

from even_palette.app.session import Session
from even_palette.app.stand.canvas import Canvas, Tile
from even_palette.app.stand.loupe import TEXELS, Loupe
from even_palette.app.stand.renderer import Renderer, to_image
from even_palette.core.errors import UserError
from even_palette.core.kit.model import Kit
from even_palette.core.looks import Look, LookKind, Texel, View, map_picture, picture, read_texel
from even_palette.core.material.variants import MASTER
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Plane

EMPTY = "Open a base colour map and an ID map: drop them here, or use Open maps in Source."


class Stand(QWidget):
    """Looks at the session's shown kit. Clicks and hovers are passed on in uv."""

    picked = pyqtSignal(float, float)
    eyedropped = pyqtSignal(object)
    hovered = pyqtSignal(object)
    look_changed = pyqtSignal(object)

    def __init__(self, session: Session, renderer: Renderer, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.renderer = session, renderer
        self.look, self.other = Look(), Look(LookKind.SOURCE)
        self.proof: list[Tile] = []
        self._last_uv: tuple[float, float] | None = None
        self.picking = False
        self.canvas = Canvas(renderer, self)
        self.loupe = Loupe(self.canvas)
        self.loupe.hide()
        self._build_foot()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self.canvas, 1)
        layout.addWidget(self._foot)
        session.shown_changed.connect(self.refresh)
        session.selection_changed.connect(self._follow_selection)
        self.canvas.hovered.connect(self._hover)
        self.canvas.left_sheet.connect(self._leave)
        self.canvas.clicked.connect(self._click)
        self.canvas.camera_changed.connect(self._tell_zoom)

    def _build_foot(self) -> None:
        self._foot = QWidget(self)
        self._foot.setObjectName("foot")
        row = QHBoxLayout(self._foot)
        row.setContentsMargins(8, 4, 8, 4)
        row.setSpacing(6)
        self.look_box = self._look_box("Look", lambda look: self.set_look(look))
        self.wipe_button = self._toggle(
            "Wipe", "Compare two looks left and right of a draggable edge (W)", self.refresh
        )
        self.other_box = self._look_box("Other look", lambda look: self.set_other(look))
        self.spread_button = self._toggle("Spread", "All variants at once (S)", self.refresh)
        self.texels_button = self._toggle(
            "Texels", "Show texels as squares instead of the filter of a runtime (T)", self._filter
        )
        self.loupe_button = self._toggle("Loupe", "Enlarge the texel under the cursor (L)", self._toggle_loupe)
        self.zoom_label = QLabel("100 %")
        self.zoom_label.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.zoom_label.setMinimumWidth(52)
        fit = self._button("Fit", "Fit the sheet into the pane (F)", self.canvas.fit)
        one = self._button("1:1", "One pixel a texel (F twice)", self.canvas.one_to_one)
        left: list[QWidget] = [self.look_box, self.wipe_button, self.other_box, self.spread_button]
        right: list[QWidget] = [self.texels_button, self.loupe_button, self.zoom_label, fit, one]
        for widget in left:
            row.addWidget(widget)
        row.addStretch(1)
        for widget in right:
            row.addWidget(widget)

    def _look_box(self, name: str, chosen: Callable[[Look], None]) -> QComboBox:
        box = QComboBox()
        box.setAccessibleName(name)
        box.setMinimumWidth(150)
        box.setMaximumWidth(200)
        box.activated.connect(lambda index: chosen(box.itemData(index)))
        return box

    def _toggle(self, text: str, tip: str, act: Callable[[], object]) -> QToolButton:
        button = self._button(text, tip, act)
        button.setCheckable(True)
        return button

    def _button(self, text: str, tip: str, act: Callable[[], object]) -> QToolButton:
        button = QToolButton()
        button.setText(text)
        button.setToolTip(tip)
        button.setAccessibleName(text)
        button.clicked.connect(lambda _: act())
        return button

    # Looks

    def set_look(self, look: Look) -> None:
        """Look at something; what the player showed goes."""
        self.look, self.proof = look, []
        self.refresh()
        self.look_changed.emit(look)

    def set_other(self, look: Look) -> None:
        self.other = look
        self.wipe_button.setChecked(True)
        self.refresh()

    def set_spread(self, spread: bool) -> None:
        self.proof = []
        self.spread_button.setChecked(spread)
        self.refresh()

    def show_proof(self, own: Plane, played: Plane, difference: Plane, text: str) -> None:
        """Show three pictures of equal size beside each other."""
        labels = (f"Even Palette · {text}", f"Player · {text}", "Difference × 64")
        self.proof = [Tile(label, map_picture(p)) for label, p in zip(labels, (own, played, difference), strict=True)]
        self.refresh()

    def looks(self, kit: Kit) -> list[tuple[str, Look]]:
        """Everything that can be looked at, with its name."""
        found = [(f"Result · {name or 'Master'}", Look(variant=name)) for name in _variants(kit)]
        found += [(f"Source · {source.role}", Look(LookKind.SOURCE, role=source.role)) for source in kit.sheet.sources]
        if kit.sheet.source(Role.ID):
            found.append(("ID colours", Look(LookKind.ID)))
        found += [(f"Weight · {region.name}", Look(LookKind.WEIGHT, region=region.key)) for region in kit.sheet.regions]
        if kit.sheet.regions:
            found.append(("Sum of masks", Look(LookKind.HEAT)))
        return found

    def _follow_selection(self) -> None:
        """A result follows the selected variant, a weight the selected region."""
        if self.look.kind == LookKind.RESULT:
            self.set_look(Look(variant=self.session.variant))
        elif self.look.kind == LookKind.WEIGHT:
            self.set_look(Look(LookKind.WEIGHT, region=self.session.region))

    def refresh(self) -> None:
        """Show the looks of the kit that is ready."""
        kit = self.session.shown
        if kit is None or not kit.sheet.sources:
            self.canvas.show_message(EMPTY if not self.session.kit.sheet.sources else self.session.trouble)
            self._fill_boxes(self.session.kit)
            return
        there = [look for _, look in self.looks(self.session.kit)]
        self.look = self.look if self.look in there else Look()
        self.other = self.other if self.other in there else Look()
        self._fill_boxes(self.session.kit)
        base = self.session.sheets.base_colour(kit)
        ids = self.session.sheets.id_levels(kit)
        size = (
            (base.width, base.height) if kit.sheet.source(Role.BASE_COLOUR) or ids is None else (ids.width, ids.height)
        )
        try:
            self.canvas.show_tiles(self._tiles(kit), size)
        except UserError as error:
            self.canvas.show_message(str(error))
        self._update_loupe()

    def _showable(self, look: Look, kit: Kit) -> Look:
        """The look, unless the kit that is shown does not have it yet."""
        return look if look in [there for _, there in self.looks(kit)] else Look()

    def _tiles(self, kit: Kit) -> list[Tile]:
        if self.proof:
            return self.proof
        sheets = self.session.sheets
        if self.spread_button.isChecked():
            return [Tile(name or "Master", picture(kit, sheets, Look(variant=name))) for name in _variants(kit)]
        names = {look: name for name, look in self.looks(self.session.kit)}
        shown = picture(kit, sheets, self._showable(self.look, kit))
        if self.wipe_button.isChecked():
            other = picture(kit, sheets, self._showable(self.other, kit))
            return [Tile(names[self.look], shown, names[self.other], other)]
        return [Tile(names[self.look], shown)]

    def _fill_boxes(self, kit: Kit) -> None:
        looks = self.looks(kit)
        for box, current in ((self.look_box, self.look), (self.other_box, self.other)):
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

    def _tell_zoom(self) -> None:
        self.zoom_label.setText(f"{self.canvas.camera.zoom * 100:.0f} %")

    # Cursor

    def start_picking(self) -> None:
        """Let the next click on the stand give its colour."""
        self.picking = True
        self.canvas.set_picking(True)

    def stop_picking(self) -> None:
        self.picking = False
        self.canvas.set_picking(False)

    def texel_at(self, u: float, v: float) -> Texel | None:
        """Exact values of the present look at a uv, if there are any."""
        kit = self.session.shown
        if kit is None:
            return None
        try:
            return read_texel(kit, self.session.sheets, self._showable(self.look, kit), (u, v))
        except UserError:
            return None

    def _click(self, u: float, v: float, tile: int) -> None:
        kit = self.session.shown
        if self.picking:
            texel = self.texel_at(u, v)
            self.stop_picking()
            if texel:
                self.eyedropped.emit(texel.encoded)
            return
        if self.spread_button.isChecked() and not self.proof and kit is not None:
            self.session.select(variant=_variants(kit)[tile])
            return
        self.picked.emit(u, v)

    def _hover(self, u: float, v: float) -> None:
        self._last_uv = (u, v)
        self.hovered.emit((u, v))
        self._update_loupe()

    def _leave(self) -> None:
        self.hovered.emit(None)

    def _toggle_loupe(self) -> None:
        self.loupe.setVisible(self.loupe_button.isChecked())
        if self._last_uv is None:
            self._last_uv = (0.5, 0.5)
        self._update_loupe()

    def _update_loupe(self) -> None:
        kit = self.session.shown
        if not self.loupe_button.isChecked() or self._last_uv is None or kit is None or not kit.sheet.sources:
            self.loupe.hide()
            return
        texel = self.texel_at(*self._last_uv)
        if texel is None:
            return
        width, height = self.canvas.camera.sheet
        column, row = int(self._last_uv[0] * width), int(self._last_uv[1] * height)
        half = TEXELS // 2
        view = View(((column - half) / width, (row - half) / height), (1 / width, 1 / height), TEXELS, TEXELS)
        shown = picture(kit, self.session.sheets, self._showable(self.look, kit))
        image = to_image(self.renderer.render(shown, view, filtered=False))
        self.loupe.show_texel(image, (column, row), texel, kit.sheet.regions, "texel")
        self._place_loupe()
        self.loupe.show()

    def _place_loupe(self) -> None:
        """In the upper right corner, or the upper left one if the cursor is near it."""
        right = self.canvas.width() - self.loupe.width() - 12
        at = self.canvas.position_of(self._last_uv) if self._last_uv and not self.spread_button.isChecked() else None
        near = at is not None and at.x() > right - 40 and at.y() < self.loupe.height() + 40
        self.loupe.move(QPoint(12 if near else right, 12))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._place_loupe()


def _variants(kit: Kit) -> list[str]:
    return [MASTER, *(variant.name for variant in kit.variants)]
