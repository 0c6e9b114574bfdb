"""The document that is open: a kit with its history, its folder and lock, its autosave, and what was recovered."""

import os
import time
from pathlib import Path
from threading import Lock

from msgspec.structs import replace
from PyQt6.QtCore import QObject, pyqtSignal

from even_palette.app.jobs import Jobs, Rank, one_shot
from even_palette.core.disk.gate import exists
from even_palette.core.disk.places import state_folder
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken, Progress
from even_palette.core.kit.commands import Command
from even_palette.core.kit.history import History
from even_palette.core.kit.model import FromFile, Kit, with_files
from even_palette.core.kit.store import AUTOSAVE_FILE, KIT_FILE, KitFolder, Opened

AUTOSAVE_MS, AUTOSAVE_LATEST_MS = 2000, 18_000


def unsaved_folder() -> Path:
    """Where kits that were never saved keep their autosaves."""
    return state_folder() / "unsaved"


class Document(QObject):
    """One open kit. `changed` tells of every change of the kit, `replaced` that another kit is open."""

    changed = pyqtSignal()
    replaced = pyqtSignal()
    title_changed = pyqtSignal()
    notice = pyqtSignal(str)
    recovered = pyqtSignal()

    def __init__(self, jobs: Jobs, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.jobs = jobs
        self.history = History(Kit())
        self.folder: KitFolder | None = None
        self.scratch: KitFolder | None = None
        self.saved = self.history.kit
        self._told_dropped = 0
        self._unsaved_since: float | None = None
        self._writing = Lock()
        self._autosave = one_shot(self, AUTOSAVE_MS, self.autosave_on_worker)

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

    # Opening

    def open(self, folder: Path) -> None:
        """Open a kit folder, or its kit.json. Raises UserError; what was open then stays."""
        folder = folder.parent if folder.name == KIT_FILE else folder
        if not exists(folder / KIT_FILE):
            raise UserError(f"{folder}: there is no {KIT_FILE}, so it is no kit.")
        if self.folder and self.folder.folder.resolve() == folder.resolve():
            held = self.folder
            self.autosave()
            opened = held.open()
            self.folder = None
        else:
            held, opened = _open(folder)
        self.leave()
        self.folder = held
        self.show(opened.saved, opened.recovered)
        if held.read_only:
            self.notice.emit(f"The kit is open read-only: {held.read_only}. Save it as another kit to keep changes.")

    def open_copy(self, kit: Kit) -> None:
        """Show a kit that has no folder yet, such as the demo."""
        self.leave()
        self.show(kit, None)

    def show(self, saved: Kit, recovered: Kit | None) -> None:
        """Work on another kit, with what was recovered as a step that can be undone."""
        self.saved = saved
        self.history = History(saved)
        self._told_dropped = 0
        if recovered is not None:
            self.history.do(Command("Recover unsaved work", lambda _: recovered))
            self.recovered.emit()
        self.replaced.emit()
        self.changed.emit()
        self._autosave.stop()
        self._unsaved_since = None
        self.title_changed.emit()

    def find_unsaved(self) -> Path | None:
        """A kit that was never saved and whose window is gone, if there is one."""
        for path in sorted(unsaved_folder().glob("*/" + AUTOSAVE_FILE), reverse=True):
            found = KitFolder(path.parent)
            free = not found.read_only
            found.close()
            if free:
                return path.parent
        return None

    def recover_unsaved(self, folder: Path) -> None:
        """Go on with a kit that was never saved. Raises UserError if it cannot be read."""
        scratch, opened = _open(folder)
        self.leave()
        self.scratch = scratch
        self.show(opened.saved, opened.recovered)

    # Saving

    def save(self) -> None:
        """Save into the kit's folder. Raises UserError; the last save is then still whole."""
        if self.folder is None:
            raise UserError("The kit has no folder yet; use Save as.")
        before = self.kit
        with self._writing:
            kit = self.folder.save(before)
        self._autosave.stop()
        self._unsaved_since = None
        if kit != before:
            self.history.rewrite(lambda old: _moved(old, before, kit))
        self.saved = self.kit
        self._drop_scratch()
        self.title_changed.emit()
        self.changed.emit()

    def save_as(self, folder: Path) -> None:
        """Save into a new folder and go on there. Raises UserError."""
        made = KitFolder.create(folder)
        previous, self.folder = self.folder, made
        try:
            self.save()
        except UserError:
            made.close()
            self.folder = previous
            raise
        if previous:
            previous.drop_autosave()
            previous.close()

    def _autosave_soon(self) -> None:
        """Once the hand rests, and at the latest so long after the first change that was not kept yet."""
        now = time.monotonic()
        self._unsaved_since = self._unsaved_since or now
        left = AUTOSAVE_LATEST_MS - round((now - self._unsaved_since) * 1000)
        self._autosave.start(max(0, min(AUTOSAVE_MS, left)))

    def autosave_on_worker(self) -> None:
        """Keep unsaved work, without holding up the window."""
        self._unsaved_since = None
        if not self.modified:
            self.autosave()
            return
        try:
            folder = self.work_folder()
        except UserError as error:
            self.notice.emit(str(error))
            return
        kit, saved = self.kit, self.saved

        def work(progress: Progress, cancel: CancelToken) -> None:
            with self._writing:
                if self.saved is saved:  # a save that came between keeps more than this would
                    folder.autosave(kit)

        self.jobs.run("Autosave", work, lambda _: None, self.notice.emit, rank=Rank.VIEW, place="autosave")

    def autosave(self) -> None:
        """Keep unsaved work beside the save, or in the state folder for a kit that has none; at once."""
        self._autosave.stop()
        self._unsaved_since = None
        with self._writing:
            if not self.modified:
                for folder in (self.folder, self.scratch):
                    if folder:
                        folder.drop_autosave()
                return
            try:
                self.work_folder().autosave(self.kit)
            except UserError as error:
                self.notice.emit(str(error))

    def work_folder(self) -> KitFolder:
        """Where blobs and autosaves go: the kit's folder, or one in the state folder. Raises UserError."""
        if self.folder and not self.folder.read_only:
            return self.folder
        if self.scratch is None:
            self.scratch = KitFolder.create(unsaved_folder() / f"{time.strftime('%Y%m%d-%H%M%S')}-{os.getpid()}")
        return self.scratch

    def leave(self) -> None:
        """Let go of the kit; unsaved work stays in the autosave."""
        if self._autosave.isActive() or self.modified:
            self.autosave()
        if self.folder:
            self.folder.close()
        if self.scratch and self.modified:
            self.scratch.close()
            self.scratch = None
        self._drop_scratch()
        self.folder = None

    def _drop_scratch(self) -> None:
        if self.scratch:
            self.scratch.remove()
            self.scratch = None


def _open(folder: Path) -> tuple[KitFolder, Opened]:
    """A kit's folder with what it holds. Raises UserError, and lets go of the folder, if that cannot be read."""
    held = KitFolder(folder)
    try:
        return held, held.open()
    except UserError:
        held.close()
        raise


def _moved(old: Kit, before: Kit, after: Kit) -> Kit:
    """The kit with maps that a save took into its folder pointing there."""
    places = {a.path: b.path for a, b in zip(before.files, after.files, strict=True) if a.path != b.path}

    def moved(file: FromFile) -> FromFile:
        return replace(file, path=places.get(file.path, file.path))

    return with_files(old, moved)
