"""What is open: the kit with its history and folder, what is selected, and the results that are ready to be shown."""

import os
import time
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from msgspec.structs import replace
from PyQt6.QtCore import QFileSystemWatcher, QObject, pyqtSignal

from even_palette.app.jobs import Jobs, one_shot
from even_palette.core.disk.gate import exists
from even_palette.core.disk.places import state_folder
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken, Progress
from even_palette.core.kit import commands, mesh_commands
from even_palette.core.kit.commands import Cell, Command
from even_palette.core.kit.history import History
from even_palette.core.kit.model import OVER, Focus, FromFile, Kit, MeshFile, Source, identifier, with_files
from even_palette.core.kit.store import AUTOSAVE_FILE, KIT_FILE, KitFolder, Opened, fingerprint
from even_palette.core.material.variants import MASTER
from even_palette.core.mesh.files import READABLE as MESHES
from even_palette.core.mesh.kinds import ElementKind
from even_palette.core.mesh.model import Mesh
from even_palette.core.raster.files import read_plane
from even_palette.core.raster.guess import Role, guess_encoding, guess_role
from even_palette.core.raster.plane import Encoding
from even_palette.core.results.materials import prepare_material, spots
from even_palette.core.results.sheets import Sheets

if TYPE_CHECKING:
    from even_palette.core.mesh.elements import Elements

AUTOSAVE_MS = 2000
RELOAD_MS = 250


def unsaved_folder() -> Path:
    """Where kits that were never saved keep their autosaves."""
    return state_folder() / "unsaved"


class Session(QObject):
    """One open kit. Signals carry no data: listeners read what they need from here."""

    changed = pyqtSignal()
    shown_changed = pyqtSignal()
    colours_listed = pyqtSignal()
    elements_found = pyqtSignal()
    mesh_opened = pyqtSignal()
    selection_changed = pyqtSignal()
    title_changed = pyqtSignal()
    notice = pyqtSignal(str)
    recovered = pyqtSignal()

    def __init__(self, jobs: Jobs, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.jobs = jobs
        self.sheets = Sheets()
        self.history = History(Kit())
        self.shown: Focus | None = None
        self.front = ""
        self._at = self.history.kit.at()
        self.trouble = ""
        self.folder: KitFolder | None = None
        self.scratch: KitFolder | None = None
        self.saved = self.history.kit
        self.region = ""
        self.over = False
        self.variant = MASTER
        self.copied: Cell | None = None
        self._seen: dict[str, tuple[int, int] | None] = {}
        self._preparing: CancelToken | None = None
        self._baking: dict[str, CancelToken] = {}
        self._given_up: set[str] = set()
        self._finding: set[tuple[str, ElementKind]] = set()
        self._autosave = one_shot(self, AUTOSAVE_MS, self.autosave)
        self._reload = one_shot(self, RELOAD_MS, self.reload_changed_maps)
        self._watcher = QFileSystemWatcher(self)
        self._watcher.fileChanged.connect(lambda _: self._reload.start())
        self._watcher.directoryChanged.connect(lambda _: self._reload.start())

    # The kit

    @property
    def kit(self) -> Kit:
        return self.history.kit

    @property
    def at(self) -> Focus:
        """The kit at the sheet in front."""
        if self._at.kit is not self.kit or self._at.key != self.front:
            there = any(sheet.key == self.front for sheet in self.kit.sheets)
            self.front = self.front if there else self.kit.sheets[0].key
            self._at = self.kit.at(self.front)
        return self._at

    @property
    def modified(self) -> bool:
        return self.kit != self.saved

    def do(self, command: Command) -> bool:
        """Apply a command; what is not possible becomes a notice. True if the kit changed."""
        try:
            changed = self.history.do(command)
        except UserError as error:
            self.notice.emit(str(error))
            return False
        if changed:
            self._after_change()
        return changed

    def undo(self, steps: int = 1) -> None:
        """Go back by steps of the history."""
        before = self.kit
        for _ in range(steps):
            self.history.undo()
        if self.kit is not before:
            self._show_change(before)

    def redo(self) -> None:
        before = self.kit
        if self.history.redo():
            self._show_change(before)

    def _show_change(self, before: Kit) -> None:
        """Put the sheet in front that a step of the history changed, so that what happens is seen."""
        old = {sheet.key: sheet for sheet in before.sheets}
        changed = [sheet.key for sheet in self.kit.sheets if old.get(sheet.key) != sheet]
        if changed and self.front not in changed:
            self.front = changed[0]
        self._after_change()

    def _after_change(self) -> None:
        regions = self.at.sheet.regions
        if self.region not in [region.key for region in regions]:
            self.region = regions[0].key if regions else ""
        if self.variant not in [variant.name for variant in self.kit.variants]:
            self.variant = MASTER
        self._autosave.start()
        self._watch()
        self.changed.emit()
        self.prepare()

    @property
    def owner(self) -> str:
        """Whose coats are selected: the region, or the overcoats of the sheet in front."""
        return OVER + self.at.key if self.over else self.region

    def select(self, region: str | None = None, variant: str | None = None) -> None:
        """Select a region, or by OVER and the sheet's key its overcoats, or a variant, or both."""
        before = (self.owner, self.variant)
        if region is not None:
            self.over = region.startswith(OVER)
            self.region = self.region if self.over else region
        self.variant = self.variant if variant is None else variant
        if before != (self.owner, self.variant):
            self.selection_changed.emit()

    # Results

    def prepare(self) -> None:
        """Compute on a worker what the views need of the present kit, then show it. The latest kit wins."""
        if self._preparing is not None:
            return
        at = self.at

        def work(progress: Progress, cancel: CancelToken) -> Focus:
            sheets = self.sheets
            for sheet in self.sheets_seen(at):
                part = at.kit.at(sheet)
                sheets.base_colour(part)
                sheets.weights(part, progress, cancel)
                sheets.means(part)
                prepare_material(part, sheets)
            spots(at, sheets)
            sheets.shown_ids(at)
            return at

        def done(result: Focus) -> None:
            self.shown, self.trouble = result, ""
            self.shown_changed.emit()
            self._list_colours(result)

        def failed(text: str) -> None:
            self.shown, self.trouble = None, text
            self.notice.emit(text)
            self.shown_changed.emit()

        def ended() -> None:
            self._preparing = None
            if at is not self.at:
                self.prepare()

        self._preparing = self.jobs.run("Masks", work, done, failed, ended, needed=True)

    def sheets_seen(self, at: Focus) -> list[str]:
        """The sheet in front, and those that lie on the same meshes."""
        seen = {at.key: None}
        for mesh in at.kit.meshes:
            used = [mesh.sheet, *mesh.slots.values()]
            if at.key in used and not mesh.reference:
                seen.update(dict.fromkeys(used))
        return list(seen)

    def show_sheet(self, key: str) -> None:
        """Put another sheet in front. This is no step of the history."""
        if key != self.at.key:
            self.front = key
            self.history.end_merge()
            self._after_change()
            self.selection_changed.emit()

    def want_bake(self, key: str) -> None:
        """Make a bake of the kit that is shown, on a worker, unless it is there; `shown_changed` tells of it."""
        at = self.shown
        if at is None or key not in [bake.key for bake in at.sheet.bakes]:
            return
        bake = at.sheet.bake(key)
        name = self.sheets.meshes.bake_key(at, bake)
        if self.sheets.meshes.known_bake(at, bake) is not None or name in self._baking or name in self._given_up:
            return
        for other in list(self._baking):
            self._baking.pop(other).cancel()

        def ended() -> None:
            if self._baking.pop(name, None) is not None and self.sheets.meshes.known_bake(at, bake) is None:
                self._given_up.add(name)
                self.shown_changed.emit()

        self._baking[name] = self.jobs.run(
            "Bake",
            lambda progress, cancel: self.sheets.meshes.bake(at, bake, progress, cancel),
            lambda _: self.shown_changed.emit(),
            self.notice.emit,
            ended,
        )

    def bake_state(self, key: str) -> str:
        """One sentence on a bake that is not there."""
        at = self.shown
        if at is None or key not in [bake.key for bake in at.sheet.bakes]:
            return ""
        given_up = self.sheets.meshes.bake_key(at, at.sheet.bake(key)) in self._given_up
        return "The bake was not made; choose it again to make it." if given_up else "The bake is being made …"

    def bake_again(self) -> None:
        """Let bakes that were cancelled or failed be made again."""
        self._given_up.clear()

    def elements_of(self, kind: ElementKind) -> "Elements | None":
        """The elements of a kind on the mesh that is shown; where they are not known yet they are found on a worker.

        `elements_found` tells when they are there.
        """
        at, meshes = self.shown, self.sheets.meshes
        found = meshes.on_sheet(at) if at else None
        if at is None or found is None:
            return None
        known = meshes.known_elements(at, kind)
        name = (found.content_id, kind)
        if known is None and name not in self._finding:
            self._finding.add(name)
            self.jobs.run(
                "Elements",
                lambda progress, cancel: meshes.elements(at, kind),
                lambda _: self.elements_found.emit(),
                self.notice.emit,
                lambda: self._finding.discard(name),
                needed=True,
            )
        return known

    def _list_colours(self, at: Focus) -> None:
        """List the ID colours once the picture is there; `colours_listed` tells when they are known."""
        if self.sheets.known_id_colours(at) is None:
            self.jobs.run(
                "ID colours",
                lambda progress, cancel: self.sheets.id_colours(at),
                lambda _: self.colours_listed.emit(),
                self.notice.emit,
                needed=True,
            )

    @property
    def settled(self) -> bool:
        """Whether the views show the present kit."""
        return self._preparing is None

    # Opening and saving

    def open_kit(self, folder: Path) -> None:
        """Open a kit folder, or its kit.json. Raises UserError; what was open then stays."""
        folder = folder.parent if folder.name == KIT_FILE else folder
        if not exists(folder / KIT_FILE):
            raise UserError(f"{folder}: there is no {KIT_FILE}, so it is no kit.")
        if self.folder and self.folder.folder.resolve() == folder.resolve():
            opened_folder = self.folder
            self.autosave()
            opened = opened_folder.open()
            self.folder = None
        else:
            opened_folder, opened = _open(folder)
        self._leave()
        self.folder = opened_folder
        self._show(opened.saved, opened.recovered)
        if opened_folder.read_only:
            self.notice.emit(
                f"The kit is open read-only: {opened_folder.read_only}. Save it as another kit to keep changes."
            )

    def open_copy(self, kit: Kit) -> None:
        """Show a kit that has no folder yet, such as the demo."""
        self._leave()
        self._show(kit, None)

    def _show(self, saved: Kit, recovered: Kit | None) -> None:
        self.saved = saved
        self.history = History(saved)
        if recovered is not None:
            self.history.do(Command("Recover unsaved work", lambda _: recovered))
            self.recovered.emit()
        self.shown = None
        self.region, self.variant, self.front = "", MASTER, ""
        self._seen.clear()
        self._renew_sources()
        self._after_change()
        self._autosave.stop()
        self.title_changed.emit()
        self.selection_changed.emit()

    def open_files(self, paths: list[Path]) -> None:
        """Take images into the sheet in front as maps, and meshes into the kit."""
        self.open_meshes([path for path in paths if path.suffix.lower() in MESHES])
        self.open_maps([path for path in paths if path.suffix.lower() not in MESHES])

    def open_meshes(self, paths: list[Path]) -> None:
        """Read meshes on a worker and lay them on the sheet in front; what they lack is told."""
        for path in paths:
            try:
                seen = fingerprint(path)
            except UserError as error:
                self.notice.emit(str(error))
                continue
            key = identifier(path.stem)
            file = MeshFile(key, str(path.resolve()), self.at.key, seen.size, seen.sha256)

            def done(mesh: Mesh, file: MeshFile = file) -> None:
                self.do(mesh_commands.add_mesh(file))
                self.mesh_opened.emit()
                told = list(mesh.notes)
                if not mesh.uv_sets:
                    told.append("it has no UVs, so it cannot be shown on a sheet; press Unwrap in Source to make some")
                if told:
                    self.notice.emit(f"{Path(file.path).name}: {'; '.join(told)}.")
                self.title_changed.emit()

            self.jobs.run("Open mesh", partial(_read_mesh, self.sheets, file), done, self.notice.emit)

    def open_maps(self, paths: list[Path]) -> None:
        """Take image files into the sheet; what each is, is guessed from its name and content."""
        for path in paths:
            try:
                seen = fingerprint(path)
                found = Source(
                    identifier(path.stem), Role.NONE, str(path.resolve()), Encoding.DATA, seen.size, seen.sha256
                )
                plane = self.sheets.plane(found)
            except UserError as error:
                self.notice.emit(str(error))
                continue
            role = guess_role(path, plane.samples)
            encoding = guess_encoding(role, plane.samples)
            known = any(source.path == found.path for source in self.at.sheet.sources)
            taken = self.at.sheet.source(role) is not None and not known
            self.do(commands.add_map(self.at.key, replace(found, role=role, encoding=encoding)))
            if taken:
                told = f"{path.name} is there without a role, as there is a {role} already; say what it is in Source."
                self.notice.emit(told)
        self.title_changed.emit()

    def point_map_to(self, key: str, path: Path) -> None:
        """Use another file for a map."""
        try:
            seen = fingerprint(path)
            read_plane(path, Encoding.DATA)
        except UserError as error:
            self.notice.emit(str(error))
            return
        self.do(commands.point_map_to(self.at.key, key, str(path.resolve()), seen.size, seen.sha256))

    def point_mesh_to(self, key: str, path: Path) -> None:
        """Use another file for a mesh."""
        try:
            seen = fingerprint(path)
            changed = replace(self.kit.mesh(key), path=str(path.resolve()), size=seen.size, sha256=seen.sha256)
            self.sheets.meshes.file(changed)
        except UserError as error:
            self.notice.emit(str(error))
            return
        self.do(mesh_commands.change_mesh(key, "Find mesh", lambda _: changed))

    def take_in(self, key: str) -> None:
        """Copy a map into the kit's own folder, so that the kit can travel."""
        source = self.at.sheet.map(key)
        try:
            blob, seen = self._work_folder().take_in(Path(source.path))
        except UserError as error:
            self.notice.emit(str(error))
            return
        self.do(commands.point_map_to(self.at.key, key, str(blob.resolve()), seen.size, seen.sha256))

    def take_in_mesh(self, key: str) -> None:
        """Copy a mesh into the kit's own folder. A .gltf stays outside: its buffers are other files."""
        file = self.kit.mesh(key)
        if file.path.lower().endswith(".gltf"):
            self.notice.emit(f"{Path(file.path).name}: save it as .glb first; a .gltf needs other files beside it.")
            return
        try:
            blob, seen = self._work_folder().take_in(Path(file.path))
        except UserError as error:
            self.notice.emit(str(error))
            return
        changed = replace(file, path=str(blob.resolve()), size=seen.size, sha256=seen.sha256)
        self.do(mesh_commands.change_mesh(key, "Take mesh into the kit", lambda _: changed))

    def save(self) -> None:
        """Save into the kit's folder. Raises UserError; the last save is then still whole."""
        if self.folder is None:
            raise UserError("The kit has no folder yet; use Save as.")
        before = self.kit
        kit = self.folder.save(before)
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

    def autosave(self) -> None:
        """Keep unsaved work beside the save, or in the state folder for a kit that has none."""
        if not self.modified:
            for folder in (self.folder, self.scratch):
                if folder:
                    folder.drop_autosave()
            return
        try:
            self._work_folder().autosave(self.kit)
        except UserError as error:
            self.notice.emit(str(error))

    def _work_folder(self) -> KitFolder:
        if self.folder and not self.folder.read_only:
            return self.folder
        if self.scratch is None:
            self.scratch = KitFolder.create(unsaved_folder() / f"{time.strftime('%Y%m%d-%H%M%S')}-{os.getpid()}")
        return self.scratch

    def close(self) -> None:
        """Let go of the kit; unsaved work stays in the autosave."""
        self._leave()

    def _leave(self) -> None:
        if self._autosave.isActive():
            self._autosave.stop()
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

    def find_unsaved(self) -> Path | None:
        """A kit that was never saved and whose window is gone, if there is one."""
        folders = sorted(unsaved_folder().glob("*/" + AUTOSAVE_FILE), reverse=True)
        for path in folders:
            found = KitFolder(path.parent)
            free = not found.read_only
            found.close()
            if free:
                return path.parent
        return None

    def recover_unsaved(self, folder: Path) -> None:
        """Go on with a kit that was never saved. Raises UserError if it cannot be read."""
        scratch, opened = _open(folder)
        self._leave()
        self.scratch = scratch
        self._show(opened.saved, opened.recovered)

    # Source files

    def _watch(self) -> None:
        paths = {source.path for source in self.kit.files}
        wanted = {p for p in paths if os.path.exists(p)} | {
            str(Path(p).parent) for p in paths if exists(Path(p).parent)
        }
        watched = set(self._watcher.files()) | set(self._watcher.directories())
        if watched - wanted:
            self._watcher.removePaths(sorted(watched - wanted))
        if wanted - watched:
            self._watcher.addPaths(sorted(wanted - watched))

    def reload_changed_maps(self) -> None:
        """Read again the maps whose files changed on disk, appeared or went. This is no step of the history."""
        seen_before = self._seen
        self._renew_sources()
        if self._seen != seen_before:
            self._watch()
            self.changed.emit()
            self.prepare()

    @property
    def files_seen(self) -> tuple[object, ...]:
        """Times and sizes of the maps' files as they were last seen; None for a missing one."""
        return tuple(sorted(self._seen.items()))

    def _renew_sources(self) -> None:
        fresh: dict[str, tuple[int, str]] = {}
        stamps = {source.path: _stamp(source.path) for source in self.kit.files}
        for source in self.kit.files:
            stamp = stamps[source.path]
            if stamp is None or stamp == self._seen.get(source.path):
                continue
            try:
                seen = fingerprint(Path(source.path))
            except UserError:
                continue
            if seen.sha256 != source.sha256:
                fresh[source.path] = (seen.size, seen.sha256)
        self._seen = stamps
        if not fresh:
            return
        was_saved = not self.modified

        def renew(source: FromFile) -> FromFile:
            size, sha256 = fresh.get(source.path, (source.size, source.sha256))
            return replace(source, size=size, sha256=sha256)

        def reread(kit: Kit) -> Kit:
            return with_files(kit, renew)

        self.history.rewrite(reread)
        self.saved = self.kit if was_saved else reread(self.saved)
        self.notice.emit(f"Read again: {', '.join(Path(path).name for path in fresh)} changed on disk.")


def _open(folder: Path) -> tuple[KitFolder, Opened]:
    """A kit's folder with what it holds. Raises UserError, and lets go of the folder, if that cannot be read."""
    held = KitFolder(folder)
    try:
        return held, held.open()
    except UserError:
        held.close()
        raise


def _read_mesh(sheets: Sheets, file: MeshFile, progress: Progress, cancel: CancelToken) -> Mesh:
    return sheets.meshes.file(file)


def _stamp(path: str) -> tuple[int, int] | None:
    """Time and size of a file, or None if it is not there."""
    try:
        stat = os.stat(path)
    except OSError:
        return None
    return stat.st_mtime_ns, stat.st_size


def _moved(old: Kit, before: Kit, after: Kit) -> Kit:
    """The kit with maps that a save took into its folder pointing there."""
    places = {a.path: b.path for a, b in zip(before.files, after.files, strict=True) if a.path != b.path}

    def moved(file: FromFile) -> FromFile:
        return replace(file, path=places.get(file.path, file.path))

    return with_files(old, moved)
