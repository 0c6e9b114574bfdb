"""The tray itself: the panel of the current stage, and below it how many findings are mended there.

A panel is built when its stage is entered first, or when somebody asks for it, so that the window starts with one: its
module is read then, too.
"""

from collections.abc import Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QPushButton, QStackedWidget, QVBoxLayout, QWidget

from even_palette.app.choosing import Choice
from even_palette.app.panel import TRAY_PX, Panel
from even_palette.app.session import Session
from even_palette.app.stage import Stage
from even_palette.app.stand.renderer import Renderer
from even_palette.core.checks import Finding
from even_palette.core.results.looks import Look


class Tray(QWidget):
    """What panels want of others is told here (see `Panel`), so that nobody waits for one that is not built yet.

    `findings_wanted` asks for the list of findings.
    """

    look_wanted = pyqtSignal(object)
    pick_wanted = pyqtSignal(object)
    proof_ready = pyqtSignal(object, object, object, str)
    step_chosen = pyqtSignal(int)
    tool_changed = pyqtSignal()
    box_wanted = pyqtSignal()
    stage_wanted = pyqtSignal(str)
    maps_wanted = pyqtSignal()
    shots_wanted = pyqtSignal(object, dict)
    findings_wanted = pyqtSignal()

    def __init__(self, session: Session, renderer: Renderer, choice: Choice, stages: Sequence[Stage]) -> None:
        super().__init__()
        self.setObjectName("tray")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(TRAY_PX)
        self.session, self._renderer, self._choice, self._stages = session, renderer, choice, stages
        self._panels: dict[str, Panel] = {}
        self._stack = QStackedWidget()
        self._look = Look()
        self._stage = stages[0].name
        self._findings = QPushButton("")
        self._findings.setProperty("role", "count")
        self._findings.clicked.connect(self.findings_wanted)
        self._found: list[Finding] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self._stack, 1)
        column.addWidget(self._findings)
        self._findings.hide()

    def panel(self, name: str) -> Panel:
        """The panel of a stage, built now if it is not there."""
        if name not in self._panels:
            stage = next(stage for stage in self._stages if stage.name == name)
            made = self._panels[name] = stage.panel(self.session, self._renderer, self._choice)
            made.look_wanted.connect(self.look_wanted)
            made.pick_wanted.connect(self.pick_wanted)
            made.proof_ready.connect(self.proof_ready)
            made.step_chosen.connect(self.step_chosen)
            made.tool_changed.connect(self.tool_changed)
            made.box_wanted.connect(self.box_wanted)
            made.stage_wanted.connect(self.stage_wanted)
            made.maps_wanted.connect(self.maps_wanted)
            made.shots_wanted.connect(self.shots_wanted)
            self.session.made.connect(made.follow_made)
            for signal in (self.session.changed, *made.followed):
                signal.connect(made.follow)
            self._stack.addWidget(made)
            made.follow_look(self._look)
        return self._panels[name]

    def built(self, name: str) -> Panel | None:
        """The panel of a stage, if it is built."""
        return self._panels.get(name)

    @property
    def current(self) -> Panel:
        """The panel that is shown."""
        return self.panel(self._stage)

    # What is shown

    def show_stage(self, name: str) -> None:
        """Show the panel of a stage."""
        self._stage = name
        self._stack.setCurrentWidget(self.current)
        self._show_findings()

    def follow_look(self, look: Look) -> None:
        """The stand looks at something else."""
        self._look = look
        for panel in self._panels.values():
            panel.follow_look(look)

    def follow_painter(self) -> None:
        """The step that is painted in, or the brush, is another one."""
        for panel in self._panels.values():
            panel.follow_painter()

    def show_findings(self, findings: list[Finding]) -> None:
        """Tell how many findings the stage has."""
        self._found = findings
        self._show_findings()

    def _show_findings(self) -> None:
        here = sum(finding.stage == self._stage for finding in self._found)
        self._findings.setText(f"{here} finding{'s' if here > 1 else ''} here: show")
        self._findings.setVisible(bool(here))
