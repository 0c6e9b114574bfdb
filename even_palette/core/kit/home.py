"""Where an open kit lives on disk: its folder, or one in the state folder until it is saved. For worker threads."""

import contextlib
import os
import time
from pathlib import Path
from threading import Lock

from even_palette.core.disk.gate import exists
from even_palette.core.disk.places import state_folder
from even_palette.core.errors import UserError
from even_palette.core.kit.fingerprints import Fingerprint
from even_palette.core.kit.model import Kit
from even_palette.core.kit.store import AUTOSAVE_FILE, KIT_FILE, KitFolder, Opened


def unsaved_folder() -> Path:
    """Where kits that were never saved keep their autosaves."""
    return state_folder() / "unsaved"


def find_unsaved() -> Path | None:
    """A kit that was never saved and whose window is gone, if there is one.

    Folders of windows that are gone and that hold no such kit are removed.
    """
    for path in sorted(unsaved_folder().glob("*/"), reverse=True):
        found = KitFolder(path)
        if found.read_only:
            found.close()
        elif exists(path / AUTOSAVE_FILE):
            found.close()
            return path
        else:
            found.remove()
    return None


class Home:
    """The writing of one open kit, one act at a time.

    Each act has a number, in the order in which they are asked for: one that comes late replaces nothing newer. The
    scratch folder of a kit that was saved stays until it is left: steps of the history may need files that it took in.
    All methods but the properties may take long.
    """

    def __init__(self, folder: KitFolder | None = None, scratch: KitFolder | None = None) -> None:
        self._folder, self._scratch = folder, scratch
        self._lock = Lock()
        self._newest = 0

    @property
    def folder(self) -> KitFolder | None:
        """The kit's own folder, if it has one."""
        return self._folder

    @classmethod
    def open(cls, place: Path) -> tuple["Home", Opened]:
        """A saved kit, by its folder or its kit.json. Raises UserError; the folder is then let go."""
        folder = place.parent if place.name == KIT_FILE else place
        if not exists(folder / KIT_FILE):
            raise UserError(f"{folder}: there is no {KIT_FILE}, so it is no kit.")
        held, opened = _opened(folder)
        return cls(held), opened

    @classmethod
    def recover(cls, folder: Path) -> tuple["Home", Opened]:
        """A kit that was never saved, by its scratch folder. Raises UserError; the folder is then let go."""
        held, opened = _opened(folder)
        return cls(None, held), opened

    def is_at(self, place: Path) -> bool:
        """Whether this is the kit of a folder or a kit.json."""
        folder = place.parent if place.name == KIT_FILE else place
        return self._folder is not None and self._folder.folder.resolve() == folder.resolve()

    def open_again(self, unsaved: Kit | None, number: int) -> Opened:
        """Read the kit anew, with unsaved work kept first. Raises UserError."""
        with self._lock:
            assert self._folder is not None
            if unsaved is not None:
                self._working_folder().autosave(unsaved)
            self._newest = number
            opened = self._folder.open()
            return Opened(opened.saved, unsaved or opened.recovered)

    def save(self, kit: Kit, number: int) -> Kit | None:
        """Save; gives the kit as it is saved, None where a newer act came first. Raises UserError."""
        with self._lock:
            if number < self._newest:
                return None
            if self._folder is None:
                raise UserError("The kit has no folder yet; use Save as.")
            kept = self._folder.save(kit)
            self._newest = number
            self._keep_for_history()
            return kept

    def save_as(self, place: Path, kit: Kit, number: int) -> Kit:
        """Save into a new folder and go on there. Raises UserError; everything then stays as it was."""
        with self._lock:
            made = KitFolder.create(place)
            try:
                kept = made.save(kit)
            except UserError:
                made.close()
                raise
            previous, self._folder, self._newest = self._folder, made, number
            if previous:
                previous.drop_autosave()
                previous.close()
            self._keep_for_history()
            return kept

    def autosave(self, unsaved: Kit | None, number: int) -> None:
        """Keep unsaved work beside the save; without any, remove what was kept. Raises UserError."""
        with self._lock:
            if number < self._newest:
                return
            self._newest = number
            if unsaved is not None:
                self._working_folder().autosave(unsaved)
                return
            for folder in (self._folder, self._scratch):
                if folder:
                    folder.drop_autosave()

    def take_in(self, path: Path) -> tuple[Path, Fingerprint]:
        """Copy a file into the kit as a blob. Raises UserError."""
        with self._lock:
            return self._working_folder().take_in(path)

    def leave(self, unsaved: Kit | None, number: int) -> None:
        """Keep unsaved work and let go of the folders. Raises UserError if the work could not be kept."""
        try:
            self.autosave(unsaved, number)
        finally:
            with self._lock:
                if self._folder:
                    self._folder.close()
                if self._scratch and unsaved is not None and self._working_folder() is self._scratch:
                    self._scratch.close()
                    self._scratch = None
                self._drop_scratch()

    def _working_folder(self) -> KitFolder:
        """Where blobs and autosaves go: the kit's folder, or one in the state folder."""
        if self._folder and not self._folder.read_only:
            return self._folder
        if self._scratch is None:
            self._scratch = KitFolder.create(unsaved_folder() / f"{time.strftime('%Y%m%d-%H%M%S')}-{os.getpid()}")
        return self._scratch

    def _keep_for_history(self) -> None:
        """The work is saved elsewhere now; what was taken into the scratch folder stays."""
        if self._scratch:
            self._scratch.drop_autosave()

    def _drop_scratch(self) -> None:
        if self._scratch:
            self._scratch.remove()
            self._scratch = None


def _opened(folder: Path) -> tuple[KitFolder, Opened]:
    held = KitFolder(folder)
    with contextlib.ExitStack() as stack:
        stack.callback(held.close)
        opened = held.open()
        stack.pop_all()
    return held, opened
