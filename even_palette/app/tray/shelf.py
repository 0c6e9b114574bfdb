"""The shelf: all recipes of the kit, of files that it links, and of one folder of the artist's own, with pictures."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QSettings
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QFileDialog, QPushButton, QToolButton

from even_palette.app.controls import tool
from even_palette.app.jobs import Rank
from even_palette.app.session import Session
from even_palette.app.tray.add_list import PICTURE, AddList
from even_palette.app.tray.coats import before_and_after
from even_palette.core.arrays import Levels
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken, Progress
from even_palette.core.kit import commands
from even_palette.core.kit.model import Kit
from even_palette.core.kit.recipe_file import SUFFIX, RecipeFile, read_recipe, with_recipe
from even_palette.core.material.coats import COATS
from even_palette.core.material.model import Coat
from even_palette.core.results.strips import coat_strip, strip_after

SETTING = "shelf"
DRAGGED = "application/x-even-palette-recipe"
"""The type of what is dragged from it: the key of a recipe, or the path of its file."""
MOST_FILES = 200
IN_KIT, LINKED = "In this kit", "In files that this kit links"
Made = tuple[list["OnShelf"], dict[str, tuple[Levels, Levels]]]


@dataclass(frozen=True)
class OnShelf:
    """A recipe: its key in the kit, or the path of its file; what it is called, what it is made of, and where it is."""

    name: str
    label: str
    help: str
    group: str


class Shelf:
    """A button that opens the shelf; what is taken from it is worn by all regions whose cells are chosen."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self.button: QToolButton = tool("Shelf of recipes", "books", "All recipes, with what they make of this region")
        self.folder_button = QPushButton("Folder of your own …")
        self.folder_button.clicked.connect(self._choose_folder)
        self.list = AddList(
            self.button, "Recipes", [], self.wear, pictures=True, foot=self.folder_button, dragged_as=DRAGGED
        )
        self.button.clicked.connect(self.open)

    @property
    def folder(self) -> Path | None:
        """The folder whose recipes stand on the shelf, if one was chosen."""
        kept = str(QSettings("Even Palette", "window").value(SETTING, ""))
        return Path(kept) if kept else None

    def set_folder(self, folder: Path) -> None:
        """Put the recipes of a folder on the shelf."""
        QSettings("Even Palette", "window").setValue(SETTING, str(folder))
        self.open()

    def _choose_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self.button, "Folder of recipes", str(self.folder or ""))
        if name:
            self.set_folder(Path(name))

    def open(self) -> None:
        """Show what is known at once; files are read and pictures are made on a worker."""
        self.list.fill(in_kit(self.session.kit))
        self.list.open_below(self.button)
        at, sheets, owner, variant = self.session.at, self.session.sheets, self.session.owner, self.session.variant
        if not isinstance(owner, str) or not owner or self.session.shown is None:
            return
        folder = self.folder

        def make(progress: Progress, cancel: CancelToken) -> Made:
            before = coat_strip(at, sheets, owner, variant)
            shelf, pictures = in_kit(at.kit), dict[str, tuple[Levels, Levels]]()
            changes = {each.name: commands.wear_recipe(owner, each.name).apply for each in shelf}
            for path, file in in_folder(folder, at.kit) if folder else []:
                told = file if isinstance(file, str) else made_of(file.coats)
                shelf.append(OnShelf(str(path), path.name.removesuffix(SUFFIX), told, str(folder)))
                if not isinstance(file, str):
                    changes[str(path)] = partial(_worn_from, owner, path, file)
            for name, change in changes.items():
                cancel.check()
                after = strip_after(at, sheets, owner, variant, change)
                if after is not None:  # else it cannot be worn here, which is told when it is taken
                    pictures[name] = before, after
            return shelf, pictures

        def done(made: Made) -> None:
            shelf, pictures = made
            self.list.fill(shelf)
            self.list.show_pictures({name: QIcon(before_and_after(*pair, PICTURE)) for name, pair in pictures.items()})

        self.session.jobs.run("Shelf", make, done, self.session.notice.emit, rank=Rank.VIEW, place="shelf")

    def wear(self, name: str) -> None:
        """Let the regions of all chosen cells wear a recipe, by its key or its file."""
        wear(self.session, name, [owner for owner, _ in self.session.cells if isinstance(owner, str) and owner])


def wear(session: Session, name: str, regions: Sequence[str]) -> None:
    """Let regions wear a recipe, by its key or its file."""
    regions = list(dict.fromkeys(regions))
    if not regions:
        session.notice.emit("Choose a region first; overcoats wear no recipe.")
    elif name in [recipe.key for recipe in session.kit.recipes]:
        session.do(commands.wear_in(regions, name))
    else:
        session.files.recipes.open(Path(name), lambda key: session.do(commands.wear_in(regions, key)))


def _worn_from(region: str, path: Path, file: RecipeFile, kit: Kit) -> Kit:
    """The kit with a region in the recipe of a file. Raises UserError."""
    kit, key = with_recipe(kit, path, file)
    return commands.wear_recipe(region, key).apply(kit)


def in_kit(kit: Kit) -> list[OnShelf]:
    """The recipes of a kit, those that live in files last."""
    found = []
    for recipe in sorted(kit.recipes, key=lambda recipe: bool(recipe.path)):
        wearers = ", ".join(region.name for region in kit.wearers(recipe.key))
        told = made_of(recipe.coats) + (f" · worn by {wearers}" if wearers else "")
        found.append(OnShelf(recipe.key, recipe.name, told, LINKED if recipe.path else IN_KIT))
    return found


def in_folder(folder: Path, kit: Kit) -> list[tuple[Path, RecipeFile | str]]:
    """The recipes of a folder that a kit does not link yet, by name; a sentence for one that cannot be read."""
    linked = {Path(recipe.path) for recipe in kit.recipes if recipe.path}
    found: list[tuple[Path, RecipeFile | str]] = []
    try:
        paths = sorted(path for path in folder.iterdir() if path.name.endswith(SUFFIX))[:MOST_FILES]
    except OSError:
        return []
    for path in paths:
        if path in linked:
            continue
        try:
            found.append((path, read_recipe(path)))
        except UserError as error:
            found.append((path, str(error)))
    return found


def made_of(coats: tuple[Coat, ...]) -> str:
    """What coats there are, by their labels."""
    return ", ".join(COATS[coat.kind].label for coat in coats)
