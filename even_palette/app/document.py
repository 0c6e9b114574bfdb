"""The document that is open: a kit with its history, its folder and lock, its autosave, and what was recovered."""

import time
from collections.abc import Callable
from itertools import count
from pathlib import Path
from threading import Lock
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from even_palette.app.jobs import Jobs, Rank, one_shot
from even_palette.core.errors import UserError
from even_palette.core.kit.commands import Command
from even_palette.core.kit.history import History
from even_palette.core.kit.home import Home
from even_palette.core.kit.model import Kit
from even_palette.core.kit.store import Opened, as_kept, read_kit
from even_palette.core.log import log

AUTOSAVE_MS, AUTOSAVE_LATEST_MS = 2000, 18_000


class Document(QObject):
    """One open kit. `changed` tells of every change of the kit, `replaced` that another kit is open.

    `opened` tells that one was read from a folder.
    """

    changed = pyqtSignal()
    opened = pyqtSignal()
    replaced = pyqtSignal()
    title_changed = pyqtSignal()
    notice = pyqtSignal(str)
    recovered = pyqtSignal()

    def __init__(self, jobs: Jobs, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.jobs = jobs
        self.history = History(Kit())
        self.home = Home()
        self.saved = self.history.kit
        self._told_dropped = 0
        self._unsaved_since: float | None = None
        self._numbers = count(1)
        self._dues: list[_Due] = []
        self._autosave = one_shot(self, AUTOSAVE_MS, self.autosave)

    @property
    def kit(self) -> Kit:
        """The kit as it is now."""
        return self.history.kit

    @property
    def modified(self) -> bool:
        """Whether it differs from the last save."""
        return self.kit != self.saved

    def do(self, command: Command) -> bool:
        """Apply a command; what is not possible becomes a notice. True if the kit changed."""
        try:
            changed = self.history.do(command)
        except UserError as error:
            self.notice.emit(str(error))
            return False
        if changed:
            if self.history.dropped > self._told_dropped:
                self._told_dropped = self.history.dropped
                self.notice.emit(f"The oldest {self.history.dropped} steps of the history were dropped to save memory.")
            self.touched()
        return changed

    def touched(self) -> None:
        """What follows every change: the autosave is due, and everybody is told."""
        self._autosave_soon()
        self.changed.emit()

    def undo(self, steps: int = 1) -> bool:
        """Go back by steps of the history."""
        moved = [self.history.undo() for _ in range(steps)]
        return any(moved)

    def redo(self) -> bool:
        """Do again what was undone last."""
        return self.history.redo()

    # Opening and saving: on workers, through the kit's home

    def open(self, place: Path, then: Callable[[], None] = lambda: None) -> None:
        """Open a kit folder, or its kit.json; what cannot be opened is told, and what was open then stays."""
        home, kit, unsaved, number = self.home, self.kit, self._unsaved, next(self._numbers)

        def work() -> tuple[Home, Opened]:
            return (home, home.open_again(unsaved, number)) if home.is_at(place) else Home.open(place)

        def done(found: tuple[Home, Opened]) -> None:
            if found[0] is self.home and self.kit is not kit:
                self.open(place, then)  # what was changed meanwhile is not lost
                return
            self._go_on_in(*found)
            folder = self.home.folder
            if folder and folder.read_only:
                self.notice.emit(
                    f"The kit is open read-only: {folder.read_only}. Save it as another kit to keep changes."
                )
            self.opened.emit()
            then()

        self._due("Open kit", work, done)

    def recover_unsaved(self, folder: Path) -> None:
        """Go on with a kit that was never saved."""
        self._due("Open kit", lambda: Home.recover(folder), lambda found: self._go_on_in(*found))

    def open_shipped(self, folder: Path) -> None:
        """Show a kit that is only read, such as the demo, as one that has no folder yet."""
        self._due("Open kit", lambda: read_kit(folder), self.open_copy)

    def open_copy(self, kit: Kit) -> None:
        """Show a kit that has no folder yet."""
        self._go_on_in(Home(), Opened(kit, None))

    def _go_on_in(self, home: Home, opened: Opened) -> None:
        """Work on another kit, with what was recovered as a step that can be undone."""
        if home is not self.home:
            left, unsaved, number = self.home, self._unsaved, next(self._numbers)
            self.home = home
            self._due("Keep", lambda: left.leave(unsaved, number), lambda _: None)
        self._autosave.stop()
        self._unsaved_since = None
        self.saved = opened.saved
        self.history = History(opened.saved)
        self._told_dropped = 0
        if (recovered := opened.recovered) is not None:
            self.history.do(Command("Recover unsaved work", lambda _: recovered))
            self.recovered.emit()
        self.replaced.emit()
        self.changed.emit()
        self.title_changed.emit()

    def save(self) -> None:
        """Save into the kit's folder. What fails is told; the last save is then still whole."""
        home, kit, number = self.home, self.kit, next(self._numbers)
        self._due("Save", lambda: home.save(kit, number), lambda kept: self._saved(home, kit, kept))

    def save_as(self, place: Path) -> None:
        """Save into a new folder and go on there. What fails is told; everything then stays as it was."""
        home, kit, number = self.home, self.kit, next(self._numbers)
        self._due("Save", lambda: home.save_as(place, kit, number), lambda kept: self._saved(home, kit, kept))

    def _saved(self, home: Home, before: Kit, kept: Kit | None) -> None:
        """A tree of the history was saved; maps that the save took into the kit's folder are read from there."""
        if home is not self.home or kept is None:
            return
        unchanged = self.kit is before
        if kept != before:
            self.history.rewrite(lambda old: as_kept(old, before, kept))
            if unchanged and self.kit != kept:
                self.history.do(Command("Follow recipes", lambda _: kept))  # joined with what others wrote
        self.saved = self.kit if unchanged else kept
        if unchanged:
            self._autosave.stop()
            self._unsaved_since = None
        self.title_changed.emit()
        self.changed.emit()
        assert home.folder is not None
        self.notice.emit(" ".join([f"Saved to {home.folder.folder}.", *home.folder.unwritten]))

    def _autosave_soon(self) -> None:
        """Once the hand rests, and at the latest so long after the first change that was not kept yet."""
        now = time.monotonic()
        self._unsaved_since = self._unsaved_since or now
        left = AUTOSAVE_LATEST_MS - round((now - self._unsaved_since) * 1000)
        self._autosave.start(max(0, min(AUTOSAVE_MS, left)))

    def autosave(self) -> None:
        """Keep unsaved work beside the save, or in the state folder for a kit that has none."""
        self._autosave.stop()
        self._unsaved_since = None
        home, unsaved, number = self.home, self._unsaved, next(self._numbers)
        self._due("Autosave", lambda: home.autosave(unsaved, number), lambda _: None)

    def keep_now(self) -> None:
        """Do on this thread what waits to be written, then keep unsaved work: at the end, or after an error."""
        self._at_once(lambda: self.home.autosave(self._unsaved, next(self._numbers)))

    def leave(self) -> None:
        """Let go of the kit; unsaved work stays in the autosave."""
        self._at_once(lambda: self.home.leave(self._unsaved, next(self._numbers)))

    @property
    def _unsaved(self) -> Kit | None:
        return self.kit if self.modified else None

    def _at_once(self, act: Callable[[], None]) -> None:
        while self._dues:
            self._dues[0].run()
            self._finish(self._dues[0])
        self._autosave.stop()
        self._unsaved_since = None
        try:
            act()
        except UserError as error:
            self.notice.emit(str(error))

    # What waits to be written

    def _due(self, label: str, work: Callable[[], Any], done: Callable[[Any], None]) -> None:
        """Have a worker do what is done once, by it or when the window closes."""
        due = _Due(work, done)
        self._dues.append(due)
        self.jobs.run(
            label,
            lambda progress, cancel: due.run(),
            lambda _: self._finish(due),
            self.notice.emit,
            rank=Rank.VIEW,
        )

    def _finish(self, due: "_Due") -> None:
        if due not in self._dues:
            return
        self._dues.remove(due)
        if due.error is not None:
            self.notice.emit(str(due.error))
        else:
            due.done(due.result)


class _Due:
    """Work that happens once, whoever comes first; its result is taken on the window's thread."""

    def __init__(self, work: Callable[[], Any], done: Callable[[Any], None]) -> None:
        self.work, self.done = work, done
        self.result: Any = None
        self.error: UserError | None = None
        self._lock, self._ran = Lock(), False

    def run(self) -> None:
        with self._lock:
            if self._ran:
                return
            self._ran = True
            try:
                self.result = self.work()
            except UserError as error:
                self.error = error
            except Exception as error:
                log().exception("A kit could not be read or written")
                self.error = UserError(f"An error of the program ({type(error).__name__}: {error}).")
