"""What is made ready for the views: on workers, for the present kit, the latest one first.

The window's thread makes nothing itself: what a view finds missing is told by NotReady, and made by `make`.
"""

import time
from collections.abc import Callable
from dataclasses import dataclass
from threading import get_ident
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from even_palette.app.jobs import Jobs, Rank, one_shot
from even_palette.core.errors import NotReady
from even_palette.core.jobs import CancelToken, Progress
from even_palette.core.kit.model import Focus
from even_palette.core.kit.only_values import only_values_differ
from even_palette.core.mesh.kinds import ElementKind
from even_palette.core.results.bakes import bake_name, bake_of, known_bake
from even_palette.core.results.id_map import id_colours_of, known_id_colours
from even_palette.core.results.looks import LOOKS, Look
from even_palette.core.results.prepare_views import make_look, make_ready
from even_palette.core.results.sheet_mesh import elements_of, known_elements, mesh_on_sheet
from even_palette.core.results.sheets import Sheets

if TYPE_CHECKING:
    from even_palette.core.mesh.elements import Elements

MADE_MS, FORGET_S = 20, 2.0
TRIES = 3
"""So often what goes again at once is made, before a view is told that there is no room for it."""
PATIENCE_S = 0.4
"""While nothing new was shown for so long, what is being made may be finished although a newer kit waits."""


@dataclass(frozen=True)
class _Made:
    """What came of something that a view lacked: how often it was made in a row, and when and how the last ended."""

    times: int = 0
    at: float | None = None
    trouble: str = ""


class Results(QObject):
    """Prepares what the views need of a kit; `shown` is the kit that is ready, `trouble` says why none is.

    `made` tells that something is there that a view found missing, `prepared` of each slot of the picture that will be
    seen first of a kit that was opened.
    """

    shown_changed = pyqtSignal()
    prepared = pyqtSignal(object)
    made = pyqtSignal()
    colours_listed = pyqtSignal()
    elements_found = pyqtSignal()
    notice = pyqtSignal(str)

    def __init__(self, jobs: Jobs, parent: QObject | None = None, sheets: Sheets | None = None) -> None:
        super().__init__(parent)
        self.jobs = jobs
        self.sheets = sheets or Sheets()
        self.sheets.cache.only_looks = get_ident()
        self.shown: Focus | None = None
        self.trouble = ""
        self._preparing: CancelToken | None = None
        self._next: Focus | None = None
        self._looks: tuple[Look, ...] = ()
        self._ready: set[Look] = set()
        self._shown_at = 0.0
        self._baking: dict[str, CancelToken] = {}
        self._given_up: set[str] = set()
        self._finding: set[tuple[str, ElementKind]] = set()
        self._asked = False
        self._missing: dict[object, _Made] = {}
        self._wished: dict[object, CancelToken] = {}
        self._fulfilled: dict[object, int] = {}
        self.missed = 0
        """How often views have found something missing."""
        self._tell_made = one_shot(self, MADE_MS, self.made.emit)

    def forget(self) -> None:
        """Nothing of the kit that was open is shown any more, nor made."""
        self.shown, self.trouble, self._next = None, "", None
        self._fulfilled.clear()
        for name in list(self._wished):
            self._wished.pop(name).cancel()
        self.sheets.seen.forget()
        if self._preparing is not None:
            self._preparing.cancel()
            self._preparing = None
        self.shown_changed.emit()

    def prepare(self, at: Focus) -> None:
        """Compute on a worker what the views need of a kit, then show it. The latest kit wins.

        Where nothing changed but numbers and colours, all is there.
        """
        if self._preparing is not None and time.monotonic() - self._shown_at > PATIENCE_S:
            self._next = at
            return
        self._next, looks, opened = None, self._looks, self.shown is None
        prepared = self.prepared.emit if opened else None
        before = self.shown if self._preparing is None and self._ready.issuperset(looks) else None
        same = before is not None and (at.key, at.twin) == (before.key, before.twin)
        if before is not None and same and only_values_differ(at.kit, before.kit):
            self.shown, self._shown_at = at, time.monotonic()
            self.shown_changed.emit()
            return

        def work(progress: Progress, cancel: CancelToken) -> Focus:
            sheets = self.sheets
            with sheets.cache.holding("what is in view"):
                make_ready(at, sheets, looks, progress, cancel, opened, prepared)
            return at

        def done(result: Focus) -> None:
            self.shown, self.trouble, self._shown_at = result, "", time.monotonic()
            self._missing.clear()
            self._ready = set(looks)
            self.shown_changed.emit()
            self._list_colours(result)

        def failed(text: str) -> None:
            self.shown, self.trouble = None, text
            self.notice.emit(text)
            self.shown_changed.emit()

        def ended() -> None:
            if self._preparing is not token:
                return
            self._preparing = None
            if self._asked:
                self._asked = False
                self._tell_made.start()
            if self._next is not None:
                self.prepare(self._next)

        token = self.jobs.run("Masks", work, done, failed, ended, Rank.VIEW, "masks")
        self._preparing = token

    def wants(self, looks: list[Look]) -> bool:
        """Whether these looks of the kit that is shown are ready; if not, they are made, and `shown_changed` tells."""
        at = self.shown
        self._looks = tuple(look for look in dict.fromkeys(looks) if not LOOKS[look.kind].always_ready)
        missing = [look for look in self._looks if look not in self._ready]
        if at is None or not missing:
            return True

        def work(progress: Progress, cancel: CancelToken) -> None:
            with self.sheets.cache.holding("looks"):
                for look in self._looks:
                    make_look(at, self.sheets, look, cancel)

        def done(_: None) -> None:
            if at is self.shown:
                self._ready.update(missing)
                self.shown_changed.emit()

        self.jobs.run("Look", work, done, self.notice.emit, rank=Rank.VIEW, place="look")
        return False

    def make(self, missing: NotReady) -> str:
        """Make on a worker what a view lacked; `made` tells. Gives a sentence where that failed already, else "".

        What was made and was gone a moment later, `TRIES` times, does not fit into memory, and is not made once more.
        While a kit that was opened is made ready, that comes first, and `made` has views ask again.
        """
        self.missed += 1
        if self.shown is None and not self.trouble:
            self._asked = True
            return ""
        name, make = missing.name, missing.make  # the error itself holds on to painters at work
        last = self._missing.get(name, _Made(at=0.0))
        if last.at is None:
            return ""  # it is being made
        if time.monotonic() - last.at > FORGET_S:
            last = _Made()
        elif last.trouble:
            return last.trouble
        elif last.times == TRIES:
            return "There is not enough memory to keep what this view needs."
        self._missing[name] = _Made(last.times + 1)

        def outcome(trouble: str) -> None:
            self._missing[name] = _Made(last.times + 1, time.monotonic(), trouble)
            self._tell_made.start()

        self.jobs.run("View", lambda progress, cancel: make(), lambda _: outcome(""), outcome, rank=Rank.VIEW)
        return ""

    def fulfil(self) -> None:
        """Make on a worker what views wished for while they drew themselves; `made` tells. Other wishes are given up.

        What was made and went at once, `TRIES` times, does not fit into memory, and is not made once more.
        """
        wishes, self.sheets.wishes = self.sheets.wishes, {}
        for name in self._wished.keys() - wishes.keys():
            self._wished.pop(name).cancel()
        for name, make in wishes.items():
            if name not in self._wished and self._fulfilled.get(name, 0) < TRIES:
                self._wished[name] = self._make_finer(name, make)

    def _make_finer(self, name: object, make: Callable[[CancelToken], object]) -> CancelToken:
        def done(_: object) -> None:
            self._fulfilled[name] = self._fulfilled.get(name, 0) + 1
            self._tell_made.start()

        def ended() -> None:
            if self._wished.get(name) is token:
                del self._wished[name]

        token = self.jobs.run("Blocks", lambda progress, cancel: make(cancel), done, self.notice.emit, ended, Rank.VIEW)
        return token

    @property
    def wishing(self) -> bool:
        """Whether views will show something better than what they have."""
        return bool(self._wished)

    @property
    def settled(self) -> bool:
        """Whether nothing is being made for the views."""
        return self._preparing is None and not self._tell_made.isActive()

    def want_bake(self, key: str) -> None:
        """Make a bake of the kit that is shown, on a worker, unless it is there; `shown_changed` tells of it."""
        at = self.shown
        if at is None or key not in [bake.key for bake in at.sheet.bakes]:
            return
        bake = at.sheet.bake(key)
        name = bake_name(at, self.sheets, bake)
        if known_bake(at, self.sheets, bake) is not None or name in self._baking or name in self._given_up:
            return
        for other in list(self._baking):
            self._baking.pop(other).cancel()

        def ended() -> None:
            if self._baking.pop(name, None) is not None and known_bake(at, self.sheets, bake) is None:
                self._given_up.add(name)
                self.shown_changed.emit()

        self._baking[name] = self.jobs.run(
            "Bake",
            lambda progress, cancel: bake_of(at, self.sheets, bake, progress, cancel),
            lambda _: self.shown_changed.emit(),
            self.notice.emit,
            ended,
        )

    def bake_state(self, key: str) -> str:
        """One sentence on a bake that is not there."""
        at = self.shown
        if at is None or key not in [bake.key for bake in at.sheet.bakes]:
            return ""
        given_up = bake_name(at, self.sheets, at.sheet.bake(key)) in self._given_up
        return "The bake was not made; choose it again to make it." if given_up else "The bake is being made …"

    def bake_again(self) -> None:
        """Let bakes that were cancelled or failed be made again."""
        self._given_up.clear()

    def elements_of(self, kind: ElementKind) -> "Elements | None":
        """The elements of a kind on the mesh that is shown; where they are not known yet they are found on a worker.

        `elements_found` tells when they are there.
        """
        at = self.shown
        found = mesh_on_sheet(at, self.sheets) if at else None
        if at is None or found is None:
            return None
        known = known_elements(at, self.sheets, kind)
        name = (found.content_id, kind)
        if known is None and name not in self._finding:
            self._finding.add(name)
            self.jobs.run(
                "Elements",
                lambda progress, cancel: elements_of(at, self.sheets, kind),
                lambda _: self.elements_found.emit(),
                self.notice.emit,
                lambda: self._finding.discard(name),
                Rank.VIEW,
            )
        return known

    def _list_colours(self, at: Focus) -> None:
        """List the ID colours once the picture is there; `colours_listed` tells when they are known."""
        if known_id_colours(at, self.sheets) is None:
            self.jobs.run(
                "ID colours",
                lambda progress, cancel: id_colours_of(at, self.sheets),
                lambda _: self.colours_listed.emit(),
                self.notice.emit,
                rank=Rank.CHECK,
                place="colours",
            )
