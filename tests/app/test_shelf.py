"""The shelf of recipes: those of the kit, of linked files and of a folder, found, pictured, and worn by what is chosen."""

from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QMimeData, QPointF, QSettings, Qt
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QWidget

from even_palette.app.tray.add_list import HELP, PICTURE
from even_palette.app.tray.shelf import IN_KIT, SETTING, Shelf
from even_palette.app.view_state import Panes
from even_palette.core.kit import commands
from even_palette.core.kit.recipe_file import RecipeFile, write_recipe
from even_palette.core.material.model import Coat
from tests.app.conftest import Driver, pixels


@pytest.fixture
def shelf(demo: Driver, tmp_path: Path) -> Shelf:
    """Recolour, the cabin; a folder with a recipe, one that reads a plane that nobody has, and one that is no recipe."""
    folder = tmp_path / "recipes"
    folder.mkdir()
    write_recipe(folder / "Red lead.recipe.json", RecipeFile((Coat("repaint", {"colour": (0.8, 0.2, 0.1)}, key="r"),)))
    (folder / "Broken.recipe.json").write_text("{")
    (folder / "notes.txt").write_text("not a recipe")
    QSettings("Even Palette", "window").setValue(SETTING, str(folder))
    demo.session.select("cabin")
    demo.stage(5)
    demo.settle()
    return demo.tray.panel("Recolour").recipe_row.shelf


def shown(shelf: Shelf) -> dict[str, str]:
    """Names and sentences of the lines that are seen."""
    made = shelf.list.list
    lines = [made.item(row) for row in range(made.count())]
    return {line.text(): line.data(HELP) for line in lines if line.data(HELP) is not None and not line.isHidden()}


def test_the_shelf_has_recipes_of_kit_and_folder(demo: Driver, shelf: Shelf) -> None:
    """Those of the kit at once with who wears them, those of the folder when they are read; what cannot be read is told."""
    demo.click(shelf.button)
    assert shelf.list.isVisible()
    assert "worn by Hull" in shown(shelf)["Ferry paint"]
    demo.settle()
    found = shown(shelf)
    assert set(found) == {"Ferry paint", "Wet ground", "Dusty leaves", "Wet bark", "Red lead", "Broken"}
    assert found["Red lead"] == "Repaint"
    assert "Broken" in found["Broken"] or "recipe" in found["Broken"]
    made = shelf.list.list
    heads = [made.item(row).text() for row in range(made.count()) if made.item(row).data(HELP) is None]
    assert heads[0] == IN_KIT
    assert heads[1].endswith("recipes")
    line = next(made.item(row) for row in range(made.count()) if made.item(row).text() == "Red lead")
    lower = pixels(line.icon().pixmap(PICTURE).toImage())[-4, :, :3].astype(int)
    assert np.abs(lower - np.array([204, 51, 26])).max() <= 2
    QTest.keyClicks(shelf.list.search, "repa")
    assert set(shown(shelf)) == {"Red lead", "Dusty leaves"}
    demo.key(shelf.list.search, Qt.Key.Key_Escape)


def test_what_is_taken_is_worn_by_all_that_is_chosen(demo: Driver, shelf: Shelf) -> None:
    """A recipe of the kit by Enter, one of a file by a click; for all regions whose cells are chosen, as one step."""
    session = demo.session
    session.view.change(cells=(("cabin", ""), ("funnel", "")))
    assert {owner for owner, _ in session.cells} == {"cabin", "funnel"}
    demo.click(shelf.button)
    demo.settle()
    QTest.keyClicks(shelf.list.search, "red")
    demo.key(shelf.list.search, Qt.Key.Key_Return)
    demo.settle()
    key = session.kit.recipes[-1].key
    assert session.kit.recipes[-1].name == "Red lead"
    assert [session.kit.region(name).recipe for name in ("cabin", "funnel")] == [key, key]
    assert session.history.undo_labels[0] == "Wear recipe"
    session.undo()
    assert not session.kit.region("funnel").recipe
    assert not shelf.list.isVisible()
    demo.click(shelf.button)
    demo.settle()
    assert "Red lead" in shown(shelf)  # among linked files now, and not twice
    demo.key(shelf.list.search, Qt.Key.Key_Escape)


def test_what_cannot_be_worn_is_told(demo: Driver, shelf: Shelf) -> None:
    session = demo.session
    shelf.wear(str(Path(str(shelf.folder)) / "Broken.recipe.json"))
    demo.settle()
    assert "Broken" in demo.window.notice.text.text()
    before = session.kit
    session.do(commands.make_recipe("deck", "Deck paint"))
    session.show_sheet(session.kit.sheets[1].key)
    session.select(session.kit.sheets[1].regions[0].key)
    shelf.wear(session.kit.recipes[-1].key)
    assert "does not have" in demo.window.notice.text.text()
    session.undo()
    assert session.kit == before


def dropped(on: QWidget, at: QPointF, data: QMimeData) -> tuple[bool, bool]:
    """Whether a drag that enters a widget is taken, and whether it is taken where it is dropped."""
    how = (Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
    enters, falls = QDragEnterEvent(at.toPoint(), *how), QDropEvent(at, *how)
    for event in (enters, falls):
        QApplication.sendEvent(on, event)
    return enters.isAccepted(), falls.isAccepted()


def test_a_recipe_is_dropped_on_regions(demo: Driver, shelf: Shelf) -> None:
    """On a row of the board, on the sheet and on the model; where no region is, nothing is worn."""
    session, window = demo.session, demo.window
    demo.click(shelf.button)
    demo.settle()
    lines = [shelf.list.list.item(row) for row in range(shelf.list.list.count())]
    data = {line.text(): shelf.list.list.mimeData([line]) for line in lines}
    demo.key(shelf.list.search, Qt.Key.Key_Escape)
    board, names = window.board, [region.name for region in session.at.sheet.regions]
    middle = QPointF(board.visualRect(board.board_model.index(names.index("Funnel"), 2)).center())
    assert dropped(board.viewport(), middle, data["Wet bark"]) == (True, True)
    assert session.kit.region("funnel").recipe == "wet_bark"
    assert session.owner == "funnel"
    stand = window.stand
    stand.set_panes(Panes.BOTH)
    demo.settle()
    canvas, model = stand.canvas, stand.model.canvas
    spots = [QPointF(x, y) for x in range(4, canvas.width(), 9) for y in range(4, canvas.height(), 9)]
    keys = [window.pointing.region_at(*uv) if (uv := canvas.uv_at(at)) else "" for at in spots]
    assert dropped(canvas, spots[keys.index("deck")], data["Red lead"]) == (True, True)
    demo.settle()
    red = session.kit.recipes[-1].key
    assert session.kit.region("deck").recipe == red
    faces = [window.pointing.region_of_face(model.face_at(at)) for at in spots]
    assert dropped(model, spots[faces.index("cabin")], data["Red lead"]) == (True, True)
    demo.settle()
    assert session.kit.region("cabin").recipe == red
    assert [recipe.name for recipe in session.kit.recipes].count("Red lead") == 1
    before = session.kit
    assert dropped(model, spots[faces.index("")], data["Ferry paint"]) == (True, False)
    overcoats = QPointF(middle.x(), board.rowViewportPosition(len(names)) + 4)
    assert dropped(board.viewport(), overcoats, data["Ferry paint"]) == (True, False)
    plain = QMimeData()
    plain.setText("nothing of ours")
    assert dropped(board.viewport(), middle, plain) == (False, False)
    assert session.kit == before
