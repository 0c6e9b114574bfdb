"""Files that a kit reads: opening them, watching them, pointing to others, taking them in. All on workers."""

import os
from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtCore import QFileSystemWatcher, QObject, pyqtSignal

from even_palette.app.controls import patterns
from even_palette.app.document import Document
from even_palette.app.jobs import Jobs, Rank, one_shot
from even_palette.app.recipes import RecipeFiles, changed_recipe
from even_palette.app.results import Results
from even_palette.app.view_state import View
from even_palette.core.disk.gate import exists
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken, Progress
from even_palette.core.kit import commands
from even_palette.core.kit.fingerprints import Fingerprint, fingerprint, renewed
from even_palette.core.kit.mesh_file import MeshFile
from even_palette.core.kit.model import Kit, Recipe
from even_palette.core.kit.names import identifier
from even_palette.core.kit.recipe_file import RecipeFile
from even_palette.core.kit.sheet import Source
from even_palette.core.kit.trees import FromFile, with_files
from even_palette.core.material.drawn import Way, likely_way
from even_palette.core.mesh.files import READABLE as MESHES
from even_palette.core.mesh.files import is_parted
from even_palette.core.mesh.model import Mesh
from even_palette.core.raster.formats import READABLE
from even_palette.core.raster.guess import Role
from even_palette.core.raster.layouts import guess_map, opacity_of
from even_palette.core.raster.normals import points_down
from even_palette.core.raster.plane import Encoding
from even_palette.core.results.maps import plane_of_map
from even_palette.core.results.sheet_mesh import mesh_of_file

FILTER = f"Maps and meshes ({patterns((*READABLE, *MESHES))})"
MESH_FILTER = f"Meshes ({patterns(MESHES)})"
RELOAD_MS = 250
Found = tuple[list[tuple[Source, Way]], list[str]]
Stamps = dict[str, tuple[int, int] | None]
Looked = tuple[Stamps, dict[str, Fingerprint], dict[str, RecipeFile], list[str], set[str]]


class Files(QObject):
    """Reads files for a document. `mesh_opened` tells of a mesh that came."""

    mesh_opened = pyqtSignal()
    reread = pyqtSignal()

    def __init__(self, jobs: Jobs, document: Document, results: Results, view: View) -> None:
        super().__init__(document)
        self.jobs, self.document, self.results, self.view = jobs, document, results, view
        self.recipes = RecipeFiles(jobs, document)
        self._seen: dict[str, tuple[int, int] | None] = {}
        self._folders: set[str] = set()
        self._reload = one_shot(self, RELOAD_MS, self.look_again)
        self._watcher = QFileSystemWatcher(self)
        self._watcher.fileChanged.connect(lambda _: self._reload.start())
        self._watcher.directoryChanged.connect(lambda _: self._reload.start())
        document.changed.connect(self.watch)

    def open(self, paths: list[Path]) -> None:
        """Take images into the sheet in front as maps, and meshes into the kit."""
        meshes = [path for path in paths if path.suffix.lower() in MESHES]
        maps = [path for path in paths if path.suffix.lower() not in MESHES]
        for path in meshes:
            self._open_mesh(path)
        if maps:
            self._open_maps(maps)

    def _open_mesh(self, path: Path) -> None:
        sheet = self.view.state.sheet

        def work(progress: Progress, cancel: CancelToken) -> tuple[MeshFile, Mesh]:
            seen = fingerprint(path)
            file = MeshFile(identifier(path.stem), str(path.resolve()), sheet, seen.size, seen.sha256)
            return file, mesh_of_file(file, self.results.sheets)

        def done(found: tuple[MeshFile, Mesh]) -> None:
            file, mesh = found
            before = next((old for old in self.document.kit.meshes if old.path == file.path), None)
            self.document.do(commands.add_mesh(file))
            self.mesh_opened.emit()
            told = list(mesh.notes)
            if not mesh.uv_sets:
                told.append("it has no UVs, so it cannot be shown on a sheet; press Unwrap in Source to make some")
            if before is not None and before.faces.count not in (0, mesh.face_count):
                told.append(
                    f"it now has {mesh.face_count:,} faces, the {before.faces.count:,} that were given to regions are "
                    "kept but do not fit it"
                )
            if told:
                self.document.notice.emit(f"{Path(file.path).name}: {'; '.join(told)}.")
            self.document.title_changed.emit()

        self.jobs.run("Open mesh", work, done, self.document.notice.emit)

    def _open_maps(self, paths: list[Path]) -> None:
        """What each map is, is guessed from its name and content; nothing that is there is displaced."""
        sheet = self.view.state.sheet

        def work(progress: Progress, cancel: CancelToken) -> Found:
            found, troubles = list[tuple[Source, Way]](), list[str]()
            for number, path in enumerate(paths):
                cancel.check()
                progress(number / len(paths), path.name)
                try:
                    seen = fingerprint(path)
                    bare = Source(
                        identifier(path.stem), Role.NONE, str(path.resolve()), Encoding.DATA, seen.size, seen.sha256
                    )
                    plane = plane_of_map(bare, self.results.sheets)
                    samples = plane.samples
                except UserError as error:
                    troubles.append(str(error))
                    continue
                role, encoding, layout = guess_map(path, samples)
                size = {"width": plane.width, "height": plane.height}
                down = role == Role.NORMAL and points_down(samples) is True
                made = replace(bare, role=role, encoding=encoding, layout=layout, green_down=down, **size)
                opacity = opacity_of(samples, role, layout)
                found.append((made, Way.CUT_OUT if opacity is None else likely_way(opacity)))
            return found, troubles

        def done(result: Found) -> None:
            found, troubles = result
            for source, way in found:
                there = self.document.kit.sheet(sheet)
                known = any(other.path == source.path for other in there.sources)
                taken = [] if known else [role for role in source.roles if there.given(role) is not None]
                self.document.do(commands.add_map(sheet, source, way))
                if taken:
                    name, roles = Path(source.path).name, " and ".join(taken)
                    why = f"without its {roles}, which another map gives"
                    if source.role in taken:
                        why = f"without a role, as there is a {roles} already"
                    troubles.append(f"{name} is there {why}; say what it is in Source.")
            if troubles:
                self.document.notice.emit(" ".join(troubles))
            self.document.title_changed.emit()

        self.jobs.run("Open maps", work, done, self.document.notice.emit)

    def point_map_to(self, key: str, path: Path) -> None:
        """Use another file for a map."""
        sheet = self.view.state.sheet
        source = self.document.kit.sheet(sheet).map(key)

        def work(progress: Progress, cancel: CancelToken) -> Fingerprint:
            seen = fingerprint(path)
            changed = replace(source, path=str(path.resolve()), size=seen.size, sha256=seen.sha256)
            plane_of_map(changed, self.results.sheets)
            return seen

        def done(seen: Fingerprint) -> None:
            self.document.do(commands.point_map_to(sheet, key, str(path.resolve()), seen.size, seen.sha256))

        self.jobs.run("Find map", work, done, self.document.notice.emit)

    def point_mesh_to(self, key: str, path: Path) -> None:
        """Use another file for a mesh."""
        file = self.document.kit.mesh(key)

        def work(progress: Progress, cancel: CancelToken) -> MeshFile:
            seen = fingerprint(path)
            changed = replace(file, path=str(path.resolve()), size=seen.size, sha256=seen.sha256)
            mesh_of_file(changed, self.results.sheets)
            return changed

        def done(changed: MeshFile) -> None:
            place = {"path": changed.path, "size": changed.size, "sha256": changed.sha256}
            self.document.do(commands.change_mesh(key, "Find mesh", lambda mesh: replace(mesh, **place)))

        self.jobs.run("Find mesh", work, done, self.document.notice.emit)

    def take_in(self, key: str) -> None:
        """Copy a map into the kit's own folder, so that the kit can travel."""
        sheet = self.view.state.sheet
        source = self.document.kit.sheet(sheet).map(key)

        def done(found: tuple[Path, Fingerprint]) -> None:
            blob, seen = found
            self.document.do(commands.point_map_to(sheet, key, str(blob.resolve()), seen.size, seen.sha256))

        self._take(Path(source.path), done)

    def take_in_mesh(self, key: str) -> None:
        """Copy a mesh into the kit's own folder. One in parts stays outside."""
        file = self.document.kit.mesh(key)
        if is_parted(file.path):
            name = Path(file.path).name
            self.document.notice.emit(f"{name}: save it as one file first, such as .glb; it needs others beside it.")
            return

        def done(found: tuple[Path, Fingerprint]) -> None:
            place = {"path": str(found[0].resolve()), "size": found[1].size, "sha256": found[1].sha256}
            self.document.do(commands.change_mesh(key, "Take mesh into the kit", lambda m: replace(m, **place)))

        self._take(Path(file.path), done)

    def _take(self, path: Path, done) -> None:  # type: ignore[no-untyped-def]
        home = self.document.home
        self.jobs.run("Take in", lambda progress, cancel: home.take_in(path), done, self.document.notice.emit)

    # Watching

    def forget(self) -> None:
        """Another kit is open: all its files are looked at anew, as soon as the change is told."""
        self._seen.clear()

    def watch(self) -> None:
        """Watch the files of the kit and their folders; what was never looked at is looked at first."""
        paths = {source.path for source in self.document.kit.files}
        if not paths <= self._seen.keys():
            self.look_again()
            return
        wanted = {path for path in paths if self._seen.get(path)} | self._folders
        watched = set(self._watcher.files()) | set(self._watcher.directories())
        if watched - wanted:
            self._watcher.removePaths(sorted(watched - wanted))
        if wanted - watched:
            self._watcher.addPaths(sorted(wanted - watched))

    def is_missing(self, path: str) -> bool:
        """Whether a file was not there when it was last looked at."""
        return path in self._seen and self._seen[path] is None

    @property
    def seen(self) -> tuple[object, ...]:
        """Times and sizes of the files as they were last seen; None for a missing one."""
        return tuple(sorted(self._seen.items()))

    def look_again(self) -> None:
        """Read again the files that changed on disk, appeared or went. This is no step of the history."""
        files, seen_before = list(self.document.kit.files), dict(self._seen)
        if not files and not seen_before:
            return

        def work(progress: Progress, cancel: CancelToken) -> Looked:
            stamps = {file.path: _stamp(file.path) for file in files}
            fresh: dict[str, Fingerprint] = {}
            recipes: dict[str, RecipeFile] = {}
            troubles: list[str] = []
            folders = {str(Path(file.path).parent) for file in files}
            for file in files:
                cancel.check()
                stamp = stamps[file.path]
                if stamp is None or stamp == seen_before.get(file.path) or file.path in fresh:
                    continue
                try:
                    if isinstance(file, Recipe):
                        if (changed := changed_recipe(file)) is not None:
                            recipes[file.path] = changed
                        continue
                    seen = fingerprint(Path(file.path))
                except UserError as error:
                    troubles += [f"{error} What it held last is kept."] if isinstance(file, Recipe) else []
                    continue
                if seen.sha256 != file.sha256:
                    fresh[file.path] = seen
            return stamps, fresh, recipes, troubles, {folder for folder in folders if exists(Path(folder))}

        def done(found: Looked) -> None:
            stamps, fresh, recipes, troubles, self._folders = found
            if stamps == self._seen and not fresh:
                return
            self._seen = stamps
            for trouble in troubles:
                self.document.notice.emit(trouble)
            self._renew(fresh)
            self.recipes.follow(recipes)
            self.watch()
            self.reread.emit()

        self.jobs.run("Look at files", work, done, self.document.notice.emit, rank=Rank.CHECK, place="files")

    def _renew(self, fresh: dict[str, Fingerprint]) -> None:
        if not fresh:
            return
        document = self.document
        was_saved = not document.modified

        def renew(source: FromFile) -> FromFile:
            seen = fresh.get(source.path)
            return renewed(source, seen) if seen else source

        def reread(kit: Kit) -> Kit:
            return with_files(kit, renew)

        document.history.rewrite(reread)
        document.saved = document.kit if was_saved else reread(document.saved)
        document.notice.emit(f"Read again: {', '.join(Path(path).name for path in fresh)} changed on disk.")


def _stamp(path: str) -> tuple[int, int] | None:
    """Time and size of a file, or None if it is not there."""
    try:
        stat = os.stat(path)
    except (OSError, ValueError):
        return None
    return stat.st_mtime_ns, stat.st_size
