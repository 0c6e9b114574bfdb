"""The ledge: its head with the variants, and below it what the stage needs; it folds and keeps its height."""

from PyQt6.QtCore import QRect, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QStackedWidget, QToolButton, QVBoxLayout, QWidget

from even_palette.app import plain
from even_palette.app.board.board import Board
from even_palette.app.ledge.areas import AreaTable
from even_palette.app.ledge.pictures import Listed, PictureRow
from even_palette.app.ledge.tabs import Tabs
from even_palette.app.ledge.tones import ToneLedge
from even_palette.app.rail import STAGES
from even_palette.app.session import Session
from even_palette.app.theme import grey, set_icon, tokens
from even_palette.app.thumbnails import Thumbnails
from even_palette.app.tray.tray import Tray
from even_palette.core.kit.model import Focus
from even_palette.core.raster.guess import Role
from even_palette.core.regions.steps import STEPS, Join
from even_palette.core.results.looks import Look

HEAD_PX = 58
CHIP_PX, LEAST_CHIP_PX, CHIP_PICTURE_PX = 112, 64, 40
TITLES = {"Source": "Maps", "Regions": "Regions", "Masks": "Weights", "Tones": "Tones", "Ship": "Files"}
FOLDED_AT_FIRST = ("Proof",)
HEIGHTS = {"Source": 216, "Regions": 232, "Masks": 216, "Tones": 272, "Ship": 216}
TABBED = {"Masks": ("Weights", "Steps"), "Tones": ("Planes", "Palettes", "Ramps", "Survival")}
BOARD_PX = 272


class Ledge(QWidget):
    """`changed` tells that it was folded or opened, or that the stage is another one; `look_wanted` gives a look.

    `step_chosen` gives the number of a step of the selected region, `pictures_wanted` names and planes to be shown.
    """

    changed = pyqtSignal()
    look_wanted = pyqtSignal(object)
    pictures_wanted = pyqtSignal(object, object)
    step_chosen = pyqtSignal(int)

    def __init__(self, session: Session, board: Board, tray: Tray, thumbnails: Thumbnails) -> None:
        super().__init__()
        self.setObjectName("ledge")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.session, self.board, self.tray = session, board, tray
        self._open = [name not in FOLDED_AT_FIRST for name in STAGES]
        self._heights = [HEIGHTS.get(name, BOARD_PX) for name in STAGES]
        self.maps = PictureRow(session, "Maps", map_looks)
        self.areas = AreaTable(session)
        self.weights = PictureRow(session, "Weights", weight_looks)
        self.maps.chosen.connect(lambda _, look: self.look_wanted.emit(look))
        self.weights.chosen.connect(self._choose_region)
        self.chain = PictureRow(session, "Chain of steps", lambda at: chain_looks(at, session.region))
        self.chain.chosen.connect(self._choose_step)
        self.masks = QStackedWidget()
        self.masks.addWidget(self.weights)
        self.masks.addWidget(self.chain)
        self.tones = ToneLedge(session)
        self.tones.look_wanted.connect(self.look_wanted)
        self.tones.pictures_wanted.connect(self.pictures_wanted)
        self.tabs = {name: Tabs(names) for name, names in TABBED.items()}
        self.tabs["Masks"].chosen.connect(self.masks.setCurrentIndex)
        self.tabs["Tones"].chosen.connect(self.tones.show_page)
        self.fold_button = QToolButton()
        for button in (self.fold_button, board.fold_button):
            button.setAccessibleName("Fold or open the ledge")
            button.setToolTip("Fold or open the ledge (B)")
            button.clicked.connect(lambda _: self.toggle())
        set_icon(board.fold_button, "caret-down")
        self.title = plain.Label()
        self.title.setProperty("role", "section")
        self.title.setFixedWidth(80)
        self.strip = VariantStrip(session, thumbnails)
        self.head = QWidget()
        row = QHBoxLayout(self.head)
        self.head.setFixedHeight(HEAD_PX)
        row.setContentsMargins(8, 0, 8, 0)
        row.setSpacing(8)
        row.addWidget(self.fold_button)
        row.addWidget(self.title)
        for tabs in self.tabs.values():
            row.addWidget(tabs)
        row.addWidget(self.strip, 1)
        self.stack = QStackedWidget()
        for page in (self.maps, self.areas, self.masks, self.tones, board):
            self.stack.addWidget(page)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.head)
        column.addWidget(self.stack, 1)
        for listener in (self.maps, self.areas, self.weights, self.chain):
            session.shown_changed.connect(listener.follow)
        session.selection_changed.connect(self.chain.follow)
        session.selection_changed.connect(self.areas.mark)
        for signal in (session.selection_changed, session.shown_changed):
            signal.connect(lambda: self.weights.mark(session.region))

    @property
    def stage(self) -> int:
        return self.session.view.state.stage

    @property
    def is_open(self) -> bool:
        """Whether more than the head is seen in this stage."""
        return self._open[self.stage]

    @property
    def wanted_px(self) -> int:
        """The height that the ledge would have."""
        return self._heights[self.stage] if self.is_open else self.head_px

    @property
    def head_px(self) -> int:
        """The height of the head; none over the open board, whose columns begin with the same pictures."""
        return 0 if self.is_open and self.stack.currentWidget() is self.board else HEAD_PX

    def show_stage(self) -> None:
        """Show what the stage that was entered needs."""
        name = STAGES[self.stage]
        pages = {"Source": self.maps, "Regions": self.areas, "Masks": self.masks, "Tones": self.tones}
        page = self.tray.ship.files if name == "Ship" else pages.get(name, self.board)
        if self.stack.indexOf(page) < 0:
            self.stack.addWidget(page)
        self.stack.setCurrentWidget(page)
        self.title.setText(TITLES.get(name, "Board"))
        self.title.setVisible(name not in self.tabs)
        for stage, tabs in self.tabs.items():
            tabs.setVisible(name == stage)
        self.weights.mark(self.session.region)
        self._follow_fold()

    def toggle(self) -> None:
        """Fold it, or open it."""
        self._open[self.stage] = not self.is_open
        self._follow_fold()

    def remember(self, height: int) -> None:
        """Keep the height that the artist gave it in this stage."""
        if self.is_open and height > self.head_px + 40:
            self._heights[self.stage] = height

    def _follow_fold(self) -> None:
        self.stack.setVisible(self.is_open)
        set_icon(self.fold_button, "caret-down" if self.is_open else "caret-up")
        self.head.setVisible(self.head_px > 0)
        self.setMinimumHeight(self.head_px + (96 if self.is_open else 0))
        self.setMaximumHeight(16_000 if self.is_open else self.head_px)
        self.changed.emit()

    def follow_look(self, look: Look) -> None:
        """Mark the map that the stand looks at."""
        base = self.session.at.sheet.source(Role.BASE_COLOUR)
        if look.kind == "source":
            self.maps.mark(look.map or (base.key if base else ""))

    def show_masks(self, number: int) -> None:
        """In Masks: the weights of all regions (0), or the chain of steps of the selected one (1)."""
        self.tabs["Masks"].choose(number)

    def follow_step(self, number: int) -> None:
        """Mark the step that is chosen in the tray."""
        self.chain.mark(str(number + 1))

    def _choose_step(self, key: str, look: Look) -> None:
        self.step_chosen.emit(int(key) - 1)
        self.look_wanted.emit(look)

    def _choose_region(self, key: str, look: Look) -> None:
        self.session.select(region=key)
        self.look_wanted.emit(look)


class VariantStrip(QWidget):
    """The variants as small pictures with their names. A click or the arrow keys select one."""

    def __init__(self, session: Session, thumbnails: Thumbnails) -> None:
        super().__init__()
        self.session, self.thumbnails = session, thumbnails
        self.setAccessibleName("Variants as pictures")
        self.setProperty("imageArea", True)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        for signal in (session.changed, session.selection_changed, thumbnails.made, session.shown_changed):
            signal.connect(self.update)

    def variants(self) -> list[str]:
        """The keys of the variants, the master first."""
        return list(self.session.kit.variant_names)

    def chip(self, index: int) -> QRect:
        """Where a variant's picture and name are; the row moves so that the selected one is seen."""
        width = max(LEAST_CHIP_PX, min(CHIP_PX, self.width() // len(self.variants())))
        hidden = max(0, (self._selected() + 1) * width - self.width())
        return QRect(index * width - hidden, 2, width - 4, HEAD_PX - 4)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, t = QPainter(self), tokens()
        for index, variant in enumerate(self.variants()):
            chip = self.chip(index)
            if not chip.intersects(self.rect()):
                continue
            box = QRect(chip.x() + 1, chip.y() + 1, chip.width() - 2, CHIP_PICTURE_PX - 4)
            text = QRect(chip.x() + 1, box.bottom() + 1, chip.width() - 2, chip.bottom() - box.bottom() - 1)
            self.thumbnails.paint(painter, variant, box, text)
            if variant == self.session.variant:
                painter.setPen(QPen(grey(t.text), 2 if self.hasFocus() else 1))
                painter.drawRect(chip.adjusted(0, 0, -1, -1))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        at = event.position().toPoint()
        for index, variant in enumerate(self.variants()):
            if self.chip(index).contains(at):
                self.session.select(variant=variant)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        by = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()), 0)
        if not by:
            super().keyPressEvent(event)
            return
        variants = self.variants()
        self.session.select(variant=variants[min(max(0, self._selected() + by), len(variants) - 1)])

    def _selected(self) -> int:
        variants = self.variants()
        return variants.index(self.session.variant) if self.session.variant in variants else 0

    def sizeHint(self) -> QSize:
        return QSize(5 * CHIP_PX, HEAD_PX)


def map_looks(at: Focus) -> Listed:
    """The maps of a sheet."""
    found: Listed = []
    for source in at.sheet.sources:
        name = source.key.replace("_", " ") if source.role == Role.NONE else str(source.role)
        base = source.role == Role.BASE_COLOUR
        found.append((source.key, name[:1].upper() + name[1:], Look("source", map="" if base else source.key)))
    return found


def weight_looks(at: Focus) -> Listed:
    """The weights of a sheet's regions."""
    return [(region.key, region.name, Look("weight", region=region.key)) for region in at.sheet.regions]


SIGNS = {Join.ADD: "+", Join.SUBTRACT: "−", Join.INTERSECT: "∩", Join.STRONGEST: "∪", Join.REPLACE: "="}
"""The join of a source with what is before it."""


def chain_looks(at: Focus, region: str) -> Listed:
    """The mask of a region before its steps, and after each; a source has the sign of its join."""
    chosen = next((each for each in at.sheet.regions if each.key == region), None)
    if chosen is None:
        return []
    found: Listed = [("0", "Claims", Look("mask", region=region))]
    for number, step in enumerate(chosen.steps, 1):
        kind = STEPS[step.kind]
        sign = SIGNS[step.join] if kind.is_source else "→"
        told = kind.label if step.on else f"{kind.label} (off)"
        found.append((str(number), f"{sign} {told}", Look("mask", region=region, steps=number)))
    return found
