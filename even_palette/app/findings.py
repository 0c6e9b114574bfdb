"""Findings in the window: checks run at rest; the one that is chosen is shown in its place, and its mend is tried."""

from PyQt6.QtCore import QObject, pyqtSignal

from even_palette.app.jobs import Rank, one_shot
from even_palette.app.notice import Notice
from even_palette.app.panels import PREVIEW_PX, FindingsPanel
from even_palette.app.session import Session
from even_palette.app.stand.renderer import to_image
from even_palette.app.stand.stand import Stand
from even_palette.app.view_state import Panes
from even_palette.core.arrays import Levels
from even_palette.core.checks import Finding, Mend, find, look_at, look_of
from even_palette.core.jobs import CancelToken, Progress
from even_palette.core.kit.model import Kit
from even_palette.core.results.behind import over
from even_palette.core.results.looks import picture
from even_palette.core.results.pictures import render_reference, view_of
from even_palette.core.results.weights import weights_of

REST_MS = 400
MOST_WAITS = 10
"""So often checks wait for the picture: a window that nobody sees draws none."""


class Findings(QObject):
    """`found` are those of the kit as it was checked last, `changed` tells of them; `stage_wanted` names a stage."""

    changed = pyqtSignal()
    stage_wanted = pyqtSignal(str)

    def __init__(self, session: Session, stand: Stand, panel: FindingsPanel, notice: Notice) -> None:
        super().__init__(stand)
        self.session, self.stand, self.panel, self.notice = session, stand, panel, notice
        self.found: list[Finding] = []
        self._checked: tuple[object, ...] = ()
        self._told_of: Kit | None = None
        self._place: Finding | None = None
        self._waited = 0
        self._rest = one_shot(self, REST_MS, self._check)
        session.shown_changed.connect(self._rest.start)
        session.document.replaced.connect(self._forget)
        stand.canvas.tiles_shown.connect(self._go_to_place)
        panel.chosen.connect(self.show)
        panel.trial_wanted.connect(self._try)
        panel.mend_wanted.connect(self.mend)

    @property
    def settled(self) -> bool:
        """Whether what was found is of the present kit."""
        return self._told_of is self.session.document.kit

    def _forget(self) -> None:
        self.found, self._told_of, self._checked = [], None, ()
        self.panel.show_findings([])
        self.changed.emit()

    def show(self, finding: Finding) -> None:
        """Go where a finding is: its sheet, its stage, its region, and the look that shows it best."""
        before = self.session.at.key
        if finding.sheet:
            self.session.show_sheet(finding.sheet)
        if finding.region:
            self.session.select(finding.region)
        self.stage_wanted.emit(finding.stage)
        if look := look_at(finding, self.session.variant):
            self.stand.set_look(look)
        if finding.place is not None:
            if self.stand.panes == Panes.MODEL:
                self.stand.set_panes(Panes.BOTH)
            self._place = finding
            if finding.sheet in ("", before):
                self._go_to_place()

    def _go_to_place(self) -> None:
        """Show the place of the finding that was chosen, once its sheet is shown."""
        finding, shown = self._place, self.session.shown
        if finding is None or finding.place is None or shown is None or finding.sheet not in ("", shown.key):
            return
        self._place = None
        self.stand.show_place(*finding.place)

    def _try(self, finding: Finding, mend: Mend) -> None:
        """Make pictures of what a mend would change, before it is done."""
        kit, sheets = self.session.document.kit, self.session.sheets

        def work(progress: Progress, cancel: CancelToken) -> tuple[Levels, Levels]:
            view = view_of(finding.place or (0.0, 0.0, 1.0, 1.0), *PREVIEW_PX)
            made = []
            for state in (kit, mend.command.apply(kit)):
                at = state.at(finding.sheet)
                weights_of(at, sheets, progress, cancel)
                made.append(render_reference(over(picture(at, sheets, look_of(finding))), view))
            return made[0], made[1]

        def done(pictures: tuple[Levels, Levels]) -> None:
            self.panel.show_trial(finding, mend, *map(to_image, pictures))

        self.session.jobs.run("Mend", work, done, self.notice.tell, rank=Rank.VIEW, place="mend")

    def mend(self, mend: Mend) -> None:
        """Do what mends a finding; it is one step of the history."""
        self.session.do(mend.command)

    def _check(self) -> None:
        """Check what is shown, once it is: views come first."""
        results = self.session.results
        if self._waited < MOST_WAITS and (self.stand.pending or (results.shown is None and not results.trouble)):
            self._waited += 1
            self._rest.start()
            return
        self._waited = 0
        kit = (self.session.shown or self.session.at).whole
        checked = (kit, self.session.files.seen)
        if checked == self._checked:
            return
        self._checked = checked
        sheets = self.session.sheets

        def done(findings: list[Finding]) -> None:
            if checked == self._checked:
                self.found, self._told_of = findings, kit
                self.panel.show_findings(findings)
                self.changed.emit()

        self.session.jobs.run(
            "Checks",
            lambda progress, cancel: list(find(kit, sheets, cancel)),
            done,
            self.notice.tell,
            rank=Rank.CHECK,
            place="checks",
        )
