"""Recipes that live in files: opening, keeping, reading and writing them, and following what others change."""

import os
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject

from even_palette.app.document import Document
from even_palette.app.jobs import Jobs
from even_palette.core.disk.gate import refuse_sources
from even_palette.core.jobs import CancelToken, Progress
from even_palette.core.kit import commands
from even_palette.core.kit.model import Kit, Recipe
from even_palette.core.kit.recipe_file import (
    RecipeFile,
    content_id,
    differs_from_file,
    living_at,
    read_recipe,
    recipe_of,
    write_recipe,
)

Written = tuple[RecipeFile, dict[str, str], str]


class RecipeFiles(QObject):
    """Reads and writes the files of a document's recipes, on workers."""

    def __init__(self, jobs: Jobs, document: Document) -> None:
        super().__init__(document)
        self.jobs, self.document = jobs, document

    def open(self, path: Path, then: Callable[[str], object] = lambda key: None) -> None:
        """Add the recipe of a file; `then` is told its key. One that the kit links already is not added again."""
        there = next((recipe for recipe in self.document.kit.recipes if recipe.path == os.path.abspath(path)), None)
        if there is not None:
            then(there.key)
            return

        def done(file: RecipeFile) -> None:
            if self.document.do(commands.add_recipe_from_file(path, file)):
                then(self.document.kit.recipes[-1].key)

        self._read(path, done)

    def read(self, key: str, path: Path) -> None:
        """Make a recipe what a file holds, which it then lives in."""

        def done(file: RecipeFile) -> None:
            self._take(key, path, file)

        self._read(path, done)

    def _take(self, key: str, path: Path, file: RecipeFile) -> bool:
        if all(recipe.key != key for recipe in self.document.kit.recipes):
            return False  # it was removed while its file was read
        done = self.document.do(commands.change_recipe_to_file(key, path, file))
        recipe = self.document.kit.recipe(key)
        if recipe.path == os.path.abspath(path) and recipe.sha256 == content_id(file):
            self._follow_file(recipe.path, recipe.sha256, recipe.linked)
        return done

    def _read(self, path: Path, done: Callable[[RecipeFile], None]) -> None:
        self.jobs.run("Open recipe", lambda progress, cancel: read_recipe(path), done, self.document.notice.emit)

    def keep(self, key: str, path: Path) -> None:
        """Write a recipe to a file in which it lives from then on."""
        kit = self.document.kit

        def work(progress: Progress, cancel: CancelToken) -> Written:
            others = [Path(file.path) for file in kit.files if file.path != kit.recipe(key).path]
            refuse_sources(path, others)
            file, linked = recipe_of(kit, key)
            write_recipe(path, file)
            return file, linked, content_id(file)

        def done(found: Written) -> None:
            _, linked, sha256 = found
            place = os.path.abspath(path)
            if kit.recipe(key).path == place:
                self._follow_file(place, sha256, linked)
            else:
                self.document.do(commands.keep_recipe_in_file(key, place, sha256, linked))
            self.document.notice.emit(f"Wrote {path.name}.")

        self.jobs.run("Write recipe", work, done, self.document.notice.emit)

    def follow(self, read: dict[str, RecipeFile]) -> None:
        """Files hold something else than when they were looked at last; what was changed here too stays as it is."""
        for path, file in read.items():
            kit, disk = self.document.kit, content_id(file)
            recipe = next((recipe for recipe in kit.recipes if recipe.path == path), None)
            if recipe is None or disk == recipe.sha256:
                continue
            name = Path(path).name
            if recipe_of(kit, recipe.key)[0] == file:
                self._follow_file(path, disk, recipe.linked)
            elif differs_from_file(kit, recipe):
                self.document.notice.emit(
                    f"“{recipe.name}” was changed here and in {name}: read the file or write it, in Recolour."
                )
            elif self._take(recipe.key, Path(path), file):
                self.document.notice.emit(f"“{recipe.name}” changed in {name}; all that wear it follow.")

    def _follow_file(self, path: str, sha256: str, linked: dict[str, str]) -> None:
        """What a file holds is no step of the history: all steps know of it."""

        def known(kit: Kit) -> Kit:
            for recipe in kit.recipes:
                if recipe.path == path:
                    kit = living_at(kit, recipe.key, path, sha256, linked)
            return kit

        document = self.document
        was_saved = not document.modified
        document.history.rewrite(known)
        document.saved = document.kit if was_saved else known(document.saved)
        document.touched()

    def told(self, recipe: Recipe, is_missing: bool) -> str:
        """A sentence on the file of a recipe; "" for one that has none."""
        if not recipe.path:
            return ""
        name = Path(recipe.path).name
        if is_missing:
            return f"{name} is missing; what it held last is kept."
        if differs_from_file(self.document.kit, recipe):
            return f"Changed here; {name} is written when the kit is saved."
        return f"Lives in {name}."


def changed_recipe(recipe: Recipe) -> RecipeFile | None:
    """What the file of a recipe holds, if that is something else than when it was looked at. Raises UserError."""
    file = read_recipe(Path(recipe.path))
    return file if content_id(file) != recipe.sha256 else None
