"""The tray itself: the panel of the current stage, and below it how many findings are mended there."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QPushButton, QStackedWidget, QVBoxLayout, QWidget

from even_palette.app.choosing import Choice
from even_palette.app.rail import STAGES
from even_palette.app.session import Session
from even_palette.app.stand.renderer import Renderer
from even_palette.app.tray.lineup import LineupPanel
from even_palette.app.tray.masks import MasksPanel
from even_palette.app.tray.note import NotePanel
from even_palette.app.tray.panel import TRAY_PX, Panel
from even_palette.app.tray.recolour import RecolourPanel
from even_palette.app.tray.regions import RegionsPanel
from even_palette.app.tray.ship import ShipPanel
from even_palette.app.tray.source import SourcePanel
from even_palette.core.checks import Finding


class Tray(QWidget):
    """`findings_wanted` asks for the list of findings."""

    findings_wanted = pyqtSignal()

    def __init__(self, session: Session, renderer: Renderer, choice: Choice) -> None:
        super().__init__()
        self.setObjectName("tray")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(TRAY_PX)
        self.source = SourcePanel(session)
        self.regions = RegionsPanel(session, choice)
        self.masks = MasksPanel(session)
        self.recolour = RecolourPanel(session)
        self.lineup = LineupPanel(session)
        self.ship = ShipPanel(session, renderer)
        tones = NotePanel(session, "Tones", "Will make paint neutral and extract palettes, index maps and ramps.")
        proof = NotePanel(
            session, "Proof", "Will show the material under real sampling, block compression and a memory budget."
        )
        self.panels: list[Panel] = [
            self.source, self.regions, self.masks, tones, self.recolour, self.lineup, proof, self.ship,
        ]  # fmt: skip
        self._stack = QStackedWidget()
        for panel in self.panels:
            self._stack.addWidget(panel)
            session.changed.connect(panel.follow)
            session.made.connect(panel.follow)
        session.shown_changed.connect(self.source.follow)
        session.shown_changed.connect(self.masks.follow)
        session.shown_changed.connect(self.regions.follow)
        session.results.colours_listed.connect(self.masks.follow)
        session.results.colours_listed.connect(self.regions.follow)
        session.selection_changed.connect(self.masks.follow)
        session.selection_changed.connect(self.regions.follow)
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

    def show_stage(self, index: int) -> None:
        self._stack.setCurrentIndex(index)
        self._show_findings()

    def show_findings(self, findings: list[Finding]) -> None:
        self._by_stage = {stage: [f for f in findings if f.stage == stage] for stage in STAGES}
        self._show_findings()

    def _show_findings(self) -> None:
        found = self._by_stage.get(STAGES[self._stack.currentIndex()], [])
        self._findings.setText(f"{len(found)} finding{'s' if len(found) > 1 else ''} here: show")
        self._findings.setVisible(bool(found))
