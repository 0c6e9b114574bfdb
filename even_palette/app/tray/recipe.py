"""The recipe that a region wears: choosing one, making one of its coats, its name, its file, and who else wears it."""

from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from even_palette.app.controls import choice, give_menu, label, offer, row, tool
from even_palette.app.session import Session
from even_palette.app.tray.shelf import Shelf
from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import SheetOwner, owner_name
from even_palette.core.kit.model import Focus
from even_palette.core.kit.recipe_file import SUFFIX

HEAD_PX = 84
MAKE_RECIPE = "+"
"""The choice of a recipe that is not there yet; no key reads like it."""
FROM_FILE = "/"
"""The choice of a recipe that lives in a file."""
RECIPES = f"Recipes (*{SUFFIX})"


class RecipeRow(QWidget):
    """Shows the recipe of the selected owner; `beside` has room for a button behind the choice."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.box = choice("Recipe", [])
        self.box.setToolTip("A list of coats that several regions wear by link: change it once, and all follow")
        self.box.activated.connect(lambda i: self._wear(self.box.itemData(i)))
        self.name = QLineEdit()
        self.name.setAccessibleName("Name of the recipe")
        self.name.editingFinished.connect(self._rename)
        self.take_in = tool("Take coats into the recipe", "arrow-up", "Make the region's own coats part of the recipe")
        self.take_in.clicked.connect(lambda: session.do(commands.take_into_recipe(session.region)))
        self.drop = tool("Remove recipe", "trash", "Remove the recipe; its wearers keep its coats as their own")
        self.drop.clicked.connect(lambda: session.do(commands.remove_recipe(self.worn)))
        self.wearers = label("", "quiet")
        head = label("Recipe", "section")
        head.setFixedWidth(HEAD_PX)
        self.shelf = Shelf(session)
        self.beside: QHBoxLayout = row(head, self.box, self.shelf.button, stretch=1)
        self.named = QWidget()
        self.file = tool("File of the recipe", "folder-open", "Let the recipe live in a file that several kits link")
        self.in_no_file = give_menu(self.file, {"Keep in a file …": self._keep})
        ways = {
            "Read the file": self._read, "Write the file": self._write, "Use another file …": self._find,
            "Take into the kit": lambda: session.do(commands.take_in_recipe(self.worn)),
        }  # fmt: skip
        self.in_file = give_menu(self.file, ways)
        named = row(self.name, self.file, self.take_in, self.drop, stretch=0)
        named.setContentsMargins(0, 0, 0, 0)
        self.named.setLayout(named)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addLayout(self.beside)
        column.addWidget(self.named)
        column.addWidget(self.wearers)

    def show_owner(self, at: Focus, owner: SheetOwner) -> None:
        """Show what a region wears; overcoats wear no recipe."""
        region = at.kit.region(owner) if isinstance(owner, str) else None
        worn = region.recipe if region else ""
        ways = [("Own coats", ""), *((recipe.name, recipe.key) for recipe in at.kit.recipes)]
        ways += [("Make one of these coats", MAKE_RECIPE)] if region and not worn else []
        ways += [("From a file …", FROM_FILE)] if region else []
        offer(self.box, ways, worn)
        self.box.setEnabled(region is not None)
        self.shelf.button.setEnabled(region is not None)
        self.named.setVisible(bool(worn))
        self.wearers.setVisible(bool(worn))
        if region and worn:
            if not self.name.hasFocus():
                self.name.setText(at.kit.recipe(worn).name)
            self.take_in.setEnabled(bool(region.coats))
            others = [other.name for other in at.kit.wearers(worn) if other.key != owner]
            recipe, files = at.kit.recipe(worn), self.session.files
            self.file.setMenu(self.in_file if recipe.path else self.in_no_file)
            told = [f"Also worn by {', '.join(others)}." if others else "Worn by no other region yet."]
            told += [files.recipes.told(recipe, files.is_missing(recipe.path))] if recipe.path else []
            self.wearers.setText(" ".join(told))

    def _wear(self, recipe: str) -> None:
        session, owner = self.session, self.session.owner
        if not isinstance(owner, str):
            return
        if recipe == FROM_FILE:
            self._open()
        elif recipe == MAKE_RECIPE:
            session.do(commands.make_recipe(owner, f"{owner_name(session.kit, owner)} paint"))
        elif recipe:
            session.do(commands.wear_recipe(owner, recipe))
        elif session.kit.region(owner).recipe:
            session.do(commands.let_go(owner))
        self.show_owner(session.at, owner)

    @property
    def worn(self) -> str:
        """The key of the recipe that the selected owner wears, or ""."""
        owner = self.session.owner
        return self.session.kit.region(owner).recipe if isinstance(owner, str) and owner else ""

    # The file of the recipe

    def _open(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Open recipe", "", RECIPES)
        if name:
            self.open_file(Path(name))

    def open_file(self, path: Path) -> None:
        """Let the selected region wear the recipe of a file."""
        session, region = self.session, self.session.region

        def wear(key: str) -> None:
            if any(each.key == region for each in session.kit.regions):  # it may have gone meanwhile
                session.do(commands.wear_recipe(region, key))

        session.files.recipes.open(path, wear)

    def _keep(self) -> None:
        wanted = f"{self.session.kit.recipe(self.worn).name}{SUFFIX}"
        name, _ = QFileDialog.getSaveFileName(self, "Keep recipe in a file", wanted, RECIPES)
        if name:
            path = Path(name)
            self.session.files.recipes.keep(self.worn, path if path.suffix else path.with_name(path.name + SUFFIX))

    def _find(self) -> None:
        beside = str(Path(self.session.kit.recipe(self.worn).path).parent)
        name, _ = QFileDialog.getOpenFileName(self, "Find recipe", beside, RECIPES)
        if name:
            self.session.files.recipes.read(self.worn, Path(name))

    def _read(self) -> None:
        self.session.files.recipes.read(self.worn, Path(self.session.kit.recipe(self.worn).path))

    def _write(self) -> None:
        self.session.files.recipes.keep(self.worn, Path(self.session.kit.recipe(self.worn).path))

    def _rename(self) -> None:
        worn = self.worn
        name = self.name.text().strip()
        if worn and name and name != self.session.kit.recipe(worn).name:
            self.session.do(commands.rename_recipe(worn, name))


def headed(text: str, editor: QWidget) -> QHBoxLayout:
    """A control behind its name."""
    name = label(text, "section")
    name.setFixedWidth(HEAD_PX)
    return row(name, editor, stretch=1)
