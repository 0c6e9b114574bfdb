"""What belongs to one window: the document, what is made ready of it, its files, and what is looked at."""

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, pyqtSignal

from even_palette.app.document import Document
from even_palette.app.files import Files
from even_palette.app.jobs import Jobs
from even_palette.app.moment import Moment
from even_palette.app.results import Results
from even_palette.app.view_state import View
from even_palette.core.kit.coat_owners import SheetOwner, owners_on
from even_palette.core.kit.commands import Cell, Command, in_twin
from even_palette.core.kit.history import History
from even_palette.core.kit.model import Focus, Kit
from even_palette.core.kit.sheet import Region
from even_palette.core.material.variants import MASTER
from even_palette.core.mesh.kinds import ElementKind
from even_palette.core.results.sheets import Sheets

if TYPE_CHECKING:
    from even_palette.core.kit.store import KitFolder
    from even_palette.core.mesh.elements import Elements


class Session(QObject):
    """Ties the parts together: a change of the document is made ready, then shown. Panels read and ask here.

    Signals carry no data: listeners read what they need from here.
    """

    changed = pyqtSignal()
    shown_changed = pyqtSignal()
    made = pyqtSignal()
    selection_changed = pyqtSignal()
    title_changed = pyqtSignal()
    notice = pyqtSignal(str)

    def __init__(self, jobs: Jobs, parent: QObject | None = None, sheets: Sheets | None = None) -> None:
        super().__init__(parent)
        self.jobs = jobs
        self.document = Document(jobs, self)
        self.results = Results(jobs, self, sheets)
        self.view = View(self)
        self.moment = Moment(self.view, self)
        self.files = Files(jobs, self.document, self.results, self.view)
        self._at = self.document.kit.at()
        self.view.change(quiet=True, sheet=self._at.key)
        self.document.replaced.connect(self._start_anew)
        self.document.changed.connect(self._follow)
        self.document.title_changed.connect(self.title_changed)
        self.files.reread.connect(self._follow)
        self.results.shown_changed.connect(self.shown_changed)
        self.results.made.connect(self.made)
        self.view.changed.connect(self.selection_changed)
        for part in (self.document, self.results):
            part.notice.connect(self.notice)

    def _start_anew(self) -> None:
        self.view.change(quiet=True, sheet="", twin="", region="", over=False, variant=MASTER, scene="", picks=())
        self.results.forget()
        self.files.forget()
        self.selection_changed.emit()

    def _follow(self) -> None:
        """After a change: what is selected is something that is there; then the views are made ready."""
        regions = [region.key for region in self.at.sheet.regions]
        state = self.view.state
        region = state.region if state.region in regions else next(iter(regions), "")
        variant = state.variant if state.variant in self.kit.variant_names else MASTER
        self.view.change(quiet=True, region=region, variant=variant)
        self.changed.emit()
        self.results.prepare(self.at)

    # The document

    @property
    def kit(self) -> Kit:
        """The kit as it is now; where a twin is in front, with the values that it has."""
        return self.at.kit

    @property
    def history(self) -> History:
        """The steps that led to it."""
        return self.document.history

    def end_merge(self) -> None:
        """Let the next command be a step of its own. For signals: the history is another one when a kit is opened."""
        self.history.end_merge()

    @property
    def folder(self) -> "KitFolder | None":
        """The folder of the kit, if it has one."""
        return self.document.home.folder

    @property
    def modified(self) -> bool:
        """Whether the kit differs from the last save."""
        return self.document.modified

    @property
    def at(self) -> Focus:
        """The kit at the sheet in front, or at its twin."""
        kit, state = self.document.kit, self.view.state
        if self._at.whole is not kit or (self._at.key, self._at.twin) != (state.sheet, state.twin):
            there = next((sheet for sheet in kit.sheets if sheet.key == state.sheet), kit.sheets[0])
            twin = state.twin if state.twin in [twin.key for twin in there.twins] else ""
            self.view.change(quiet=True, sheet=there.key, twin=twin)
            self._at = kit.at(there.key, twin)
        return self._at

    def do(self, command: Command) -> bool:
        """Apply a command; what is not possible becomes a notice. True if the kit changed.

        Where a twin is in front, the values that it sets are the twin's.
        """
        twin = self.at.twin
        return self.document.do(in_twin(command, twin) if twin else command)

    def do_made(self, doing: str, make: Callable[[], Command]) -> None:
        """Let a worker make a command that takes computing, then apply it; what is not possible becomes a notice."""
        self.jobs.run(doing, lambda progress, cancel: make(), self._apply, self.notice.emit)

    def _apply(self, command: Command) -> None:
        self.do(command)

    def undo(self, steps: int = 1) -> None:
        """Go back by steps of the history."""
        before = self.document.kit
        if self.document.undo(steps):
            self._show_change(before)

    def redo(self) -> None:
        """Do again what was undone last."""
        before = self.document.kit
        if self.document.redo():
            self._show_change(before)

    def _show_change(self, before: Kit) -> None:
        """Put the sheet in front that a step of the history changed, so that what happens is seen."""
        old = {sheet.key: sheet for sheet in before.sheets}
        changed = [sheet.key for sheet in self.document.kit.sheets if old.get(sheet.key) != sheet]
        if changed and self.view.state.sheet not in changed:
            self.view.change(quiet=True, sheet=changed[0])
        self.document.touched()

    def open_kit(self, folder: Path, then: Callable[[], None] = lambda: None) -> None:
        """Open a kit folder, or its kit.json, and then go on; what cannot be opened is told, and nothing is lost."""
        self.document.open(folder, then)

    def open_copy(self, kit: Kit) -> None:
        """Show a kit that has no folder yet, such as the demo."""
        self.document.open_copy(kit)

    def open_files(self, paths: list[Path]) -> None:
        """Take images into the sheet in front as maps, and meshes into the kit."""
        self.files.open(paths)

    def close(self) -> None:
        """Let go of the kit; unsaved work stays in the autosave."""
        self.document.leave()

    # What is looked at

    @property
    def region(self) -> str:
        """The key of the selected region, "" if there is none."""
        return self.view.state.region

    @property
    def chosen_region(self) -> Region | None:
        """The selected region of the sheet in front, if there is one."""
        return next((region for region in self.at.sheet.regions if region.key == self.region), None)

    @property
    def tone(self) -> str:
        """The key of the tone that is chosen in Tones, the first one if none is; "" where there is none."""
        keys = [tone.key for tone in self.at.sheet.tones]
        chosen = self.view.state.toning.tone
        return chosen if chosen in keys else next(iter(keys), "")

    @property
    def variant(self) -> str:
        """The key of the selected variant."""
        return self.view.state.variant

    @property
    def owner(self) -> SheetOwner:
        """Whose coats are selected: the region, or the overcoats of the sheet in front."""
        return self.view.state.owner

    @property
    def cells(self) -> list[tuple[SheetOwner, str]]:
        """All cells of the board that are chosen, by owner and variant; the one that is edited is the first."""
        first = (self.owner, self.variant)
        there, variants = owners_on(self.at.sheet), self.kit.variant_names
        more = [cell for cell in self.view.state.cells if cell != first and cell[0] in there and cell[1] in variants]
        return [first, *more] if first in self.view.state.cells else [first]

    @property
    def copied(self) -> Cell | None:
        """The cell that was copied, if one was."""
        return self.view.state.copied

    def copy(self, cell: Cell) -> None:
        """Keep a cell for pasting."""
        self.view.change(copied=cell)

    def select(self, owner: SheetOwner | None = None, variant: str | None = None) -> None:
        """Select a region or the overcoats of the sheet in front, or a variant, or both."""
        fields: dict[str, Any] = {}
        if owner is not None:
            fields = {"over": False, "region": owner} if isinstance(owner, str) else {"over": True}
        if variant is not None:
            fields["variant"] = variant
        self.view.change(**fields)

    def show_sheet(self, key: str, twin: str = "") -> None:
        """Put another sheet in front, or a twin of one. This is no step of the history."""
        if (key, twin) != (self.at.key, self.at.twin):
            self.view.change(quiet=True, sheet=key, twin=twin)
            self.history.end_merge()
            self._follow()
            self.selection_changed.emit()

    # What is made ready

    @property
    def sheets(self) -> Sheets:
        """What follows from kits."""
        return self.results.sheets

    @property
    def shown(self) -> Focus | None:
        """The kit that the views show, once it is made ready."""
        return self.results.shown

    @property
    def settled(self) -> bool:
        """Whether the views show the present kit."""
        return self.results.settled

    def elements_of(self, kind: ElementKind) -> "Elements | None":
        """The elements of a kind on the mesh that is shown, if they are known; else they are found."""
        return self.results.elements_of(kind)
