"""The tray itself: the panel of the current stage, and below it how many findings are mended there.

A panel is built when its stage is entered first, or when somebody asks for it, so that the window starts with one: its
module is read then, too.
"""

from functools import cached_property
from typing import TYPE_CHECKING, TypeVar

from PyQt6.QtCore import Qt, pyqtBoundSignal, pyqtSignal
from PyQt6.QtWidgets import QPushButton, QStackedWidget, QVBoxLayout, QWidget

from even_palette.app.choosing import Choice
from even_palette.app.rail import STAGES
from even_palette.app.session import Session
from even_palette.app.stand.renderer import Renderer
from even_palette.app.tray.panel import TRAY_PX, Panel
from even_palette.core.checks import Finding
from even_palette.core.results.looks import Look

if TYPE_CHECKING:
    from even_palette.app.tray.lineup import LineupPanel
    from even_palette.app.tray.masks import MasksPanel
    from even_palette.app.tray.note import NotePanel
    from even_palette.app.tray.recolour import RecolourPanel
    from even_palette.app.tray.regions import RegionsPanel
    from even_palette.app.tray.ship import ShipPanel
    from even_palette.app.tray.source import SourcePanel
    from even_palette.app.tray.tones import TonesPanel

P = TypeVar("P", bound=Panel)


class Tray(QWidget):
    """What panels want of others is told here, so that nobody waits for one that is not built yet.

    `look_wanted` gives a look for the stand, `pick_wanted` a swatch that wants a colour from it, `proof_ready` what the
    player drew; `step_chosen` the number of a step; `tool_changed` says that the mouse may mean something else now,
    and `box_wanted` asks for a box to be drawn; `findings_wanted` asks for the list of findings.
    """

    look_wanted = pyqtSignal(object)
    pick_wanted = pyqtSignal(object)
    proof_ready = pyqtSignal(object, object, object, str)
    step_chosen = pyqtSignal(int)
    tool_changed = pyqtSignal()
    box_wanted = pyqtSignal()
    findings_wanted = pyqtSignal()

    def __init__(self, session: Session, renderer: Renderer, choice: Choice) -> None:
        super().__init__()
        self.setObjectName("tray")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(TRAY_PX)
        self.session, self._renderer, self._choice = session, renderer, choice
        self._stack = QStackedWidget()
        self._look = Look()
        self._stage = 0
        self._findings = QPushButton("")
        self._findings.setProperty("role", "count")
        self._findings.clicked.connect(self.findings_wanted)
        self._by_stage: dict[str, list[Finding]] = {}
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self._stack, 1)
        column.addWidget(self._findings)
        self._findings.hide()

    # The panels

    @cached_property
    def source(self) -> "SourcePanel":
        """Stage 1."""
        from even_palette.app.tray.source import SourcePanel

        made = SourcePanel(self.session)
        made.look_wanted.connect(self.look_wanted)
        return self._laid(made, self.session.shown_changed)

    @cached_property
    def regions(self) -> "RegionsPanel":
        """Stage 2."""
        from even_palette.app.tray.regions import RegionsPanel

        made = RegionsPanel(self.session, self._choice)
        made.bakes.look_wanted.connect(self.look_wanted)
        made.tab_changed.connect(self.tool_changed)
        made.elements.tool_changed.connect(self.tool_changed)
        made.elements.box_wanted.connect(self.box_wanted)
        return self._laid(made, *self._of_masks)

    @cached_property
    def masks(self) -> "MasksPanel":
        """Stage 3."""
        from even_palette.app.tray.masks import MasksPanel

        made = MasksPanel(self.session)
        made.look_wanted.connect(self.look_wanted)
        made.steps.chosen.connect(self.step_chosen)
        return self._laid(made, *self._of_masks)

    @cached_property
    def tones(self) -> "TonesPanel":
        """Stage 4."""
        from even_palette.app.tray.tones import TonesPanel

        made = TonesPanel(self.session)
        made.look_wanted.connect(self.look_wanted)
        return self._laid(made, *self._of_masks)

    @cached_property
    def recolour(self) -> "RecolourPanel":
        """Stage 5."""
        from even_palette.app.tray.recolour import RecolourPanel

        made = RecolourPanel(self.session)
        made.pick_wanted.connect(self.pick_wanted)
        made.look_wanted.connect(self.look_wanted)
        return self._laid(made)

    @cached_property
    def lineup(self) -> "LineupPanel":
        """Stage 6."""
        from even_palette.app.tray.lineup import LineupPanel

        made = LineupPanel(self.session)
        made.pick_wanted.connect(self.pick_wanted)
        return self._laid(made)

    @cached_property
    def proof(self) -> "NotePanel":
        """Stage 7."""
        from even_palette.app.tray.note import NotePanel

        told = "Will show the material under real sampling, block compression and a memory budget."
        return self._laid(NotePanel(self.session, "Proof", told))

    @cached_property
    def ship(self) -> "ShipPanel":
        """Stage 8."""
        from even_palette.app.tray.ship import ShipPanel

        made = ShipPanel(self.session, self._renderer)
        made.proof_ready.connect(self.proof_ready)
        return self._laid(made)

    @property
    def _of_masks(self) -> tuple[pyqtBoundSignal, ...]:
        """What panels follow that show one region, and figures of what is made."""
        session = self.session
        return session.shown_changed, session.selection_changed, session.results.colours_listed

    def _laid(self, panel: P, *signals: pyqtBoundSignal) -> P:
        for signal in (self.session.changed, self.session.made, *signals):
            signal.connect(panel.follow)
        self._stack.addWidget(panel)
        panel.follow_look(self._look)
        return panel

    @property
    def shipped(self) -> bool:
        """Whether a package was written."""
        return "ship" in self.__dict__ and self.ship.shipped is not None

    @property
    def panels(self) -> list[Panel]:
        """All panels in the order of the stages; builds those that are not there yet."""
        return [getattr(self, name.lower()) for name in STAGES]

    # What is shown

    def show_stage(self, index: int) -> None:
        """Show the panel of a stage."""
        self._stage = index
        self._stack.setCurrentWidget(getattr(self, STAGES[index].lower()))
        self._show_findings()

    def follow_look(self, look: Look) -> None:
        """The stand looks at something else."""
        self._look = look
        for number in range(self._stack.count()):
            panel = self._stack.widget(number)
            assert isinstance(panel, Panel)
            panel.follow_look(look)

    def follow_painter(self) -> None:
        """The step that is painted in, or the brush, is another one."""
        if "masks" in self.__dict__ and self.masks.isVisible():
            self.masks.steps.follow_step()

    def show_findings(self, findings: list[Finding]) -> None:
        """Tell how many findings the stage has."""
        self._by_stage = {stage: [f for f in findings if f.stage == stage] for stage in STAGES}
        self._show_findings()

    def _show_findings(self) -> None:
        found = self._by_stage.get(STAGES[self._stage], [])
        self._findings.setText(f"{len(found)} finding{'s' if len(found) > 1 else ''} here: show")
        self._findings.setVisible(bool(found))
