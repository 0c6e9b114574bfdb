"""The ledge: its head with the variants, and below it what the stage needs; it folds and keeps its height."""

from collections.abc import Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QStackedWidget, QToolButton, QVBoxLayout, QWidget

from even_palette.app import plain
from even_palette.app.board.board import Board
from even_palette.app.ledge.tabs import Tabs
from even_palette.app.ledge.variant_strip import HEAD_PX, VariantStrip
from even_palette.app.page import Page
from even_palette.app.session import Session
from even_palette.app.stage import Stage
from even_palette.app.theme import set_icon
from even_palette.app.thumbnails import Thumbnails
from even_palette.app.tray.tray import Tray
from even_palette.core.results.looks import Look

TABS_PX = 36
"""The height of a head that has tabs alone."""


class Ledge(QWidget):
    """`changed` tells that it was folded or opened, or that the stage is another one; the others are those of pages.

    Pages are built when their stage is entered first.
    """

    changed = pyqtSignal()
    look_wanted = pyqtSignal(object)
    place_wanted = pyqtSignal(float, float, float, float)
    pictures_wanted = pyqtSignal(object, object)
    line_wanted = pyqtSignal()
    step_chosen = pyqtSignal(int)

    def __init__(
        self, session: Session, board: Board, tray: Tray, thumbnails: Thumbnails, stages: Sequence[Stage]
    ) -> None:
        super().__init__()
        self.setObjectName("ledge")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.session, self.board, self.tray, self._stages = session, board, tray, stages
        self._open = [True] * len(stages)
        self._heights = [stage.height for stage in stages]
        self._pages: dict[str, Page] = {}
        self._tabs: dict[str, Tabs] = {}
        self._tab: dict[str, int] = {}
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
        self._row = QHBoxLayout(self.head)
        self.head.setFixedHeight(HEAD_PX)
        self._row.setContentsMargins(8, 0, 8, 0)
        self._row.setSpacing(8)
        self._row.addWidget(self.fold_button)
        self._row.addWidget(self.title)
        self._row.addWidget(self.strip, 1)
        self._row.addStretch()
        self.stack = QStackedWidget()
        self.stack.addWidget(board)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.head)
        column.addWidget(self.stack, 1)

    @property
    def stage(self) -> int:
        """The number of the stage that is entered."""
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
        """The height of the head. Over the open board, whose columns begin with the same pictures, are tabs alone."""
        if not self.is_open or self.stack.currentWidget() is not self.board:
            return HEAD_PX
        return TABS_PX if self._stages[self.stage].name in self._tabs else 0

    def page(self, name: str) -> Page:
        """The page of a stage that has one of its own, built now if it is not there."""
        if name not in self._pages:
            stage = next(stage for stage in self._stages if stage.name == name)
            assert stage.page is not None
            made = self._pages[name] = stage.page(self.session, self.tray.panel(name))
            made.look_wanted.connect(self.look_wanted)
            made.place_wanted.connect(self.place_wanted)
            made.pictures_wanted.connect(self.pictures_wanted)
            made.line_wanted.connect(self.line_wanted)
            made.step_chosen.connect(self.step_chosen)
            self.stack.addWidget(made)
            made.follow_look(self.session.view.state.look)
            if made.tabs:
                tabs = self._tabs[name] = Tabs(made.tabs)
                tabs.chosen.connect(lambda number: self._choose_tab(name, number))
                self._row.insertWidget(2, tabs)
        return self._pages[name]

    def tabs_of(self, name: str) -> Tabs:
        """The tabs of a stage's page."""
        self.page(name)
        return self._tabs[name]

    def show_stage(self) -> None:
        """Show what the stage that was entered needs."""
        stage = self._stages[self.stage]
        page = self.page(stage.name) if stage.page is not None else None
        on_board = page is None or (page.begins_with_board and not self._tab.get(stage.name))
        self.stack.setCurrentWidget(self.board if on_board or page is None else page)
        self.title.setText(stage.title)
        self.title.setVisible(stage.name not in self._tabs)
        for name, tabs in self._tabs.items():
            tabs.setVisible(name == stage.name)
        if page is not None:
            page.entered()
        self._follow_fold()

    def _choose_tab(self, name: str, number: int) -> None:
        page = self._pages[name]
        self._tab[name] = number
        if number or not page.begins_with_board:
            page.show_tab(number - page.begins_with_board)
        if name == self._stages[self.stage].name:
            self.show_stage()

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
        self.head.setFixedHeight(self.head_px or HEAD_PX)
        self.strip.setVisible(self.head_px != TABS_PX)
        self.board.fold_button.setVisible(self.head_px == 0)
        self.setMinimumHeight(self.head_px + (96 if self.is_open else 0))
        self.setMaximumHeight(16_000 if self.is_open else self.head_px)
        self.changed.emit()

    def follow_look(self, look: Look) -> None:
        """The stand looks at something else."""
        for page in self._pages.values():
            page.follow_look(look)

    def follow_step(self, number: int) -> None:
        """A step is chosen in the tray."""
        for page in self._pages.values():
            page.follow_step(number)
