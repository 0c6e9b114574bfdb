"""Several cells chosen on the board: what is changed is changed in all of them; copied as text between windows."""

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QApplication

from even_palette.core.kit.cell_text import cell_to_text
from even_palette.core.kit.commands import read_cell
from tests.app.conftest import Driver

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


def click(
    driver: Driver, row: int, column: int, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier
) -> None:
    board = driver.board
    middle = board.visualRect(board.board_model.index(row, column)).center() - QPoint(20, 0)
    driver.qtbot.mouseClick(board.viewport(), Qt.MouseButton.LeftButton, modifier, middle)


@pytest.fixture
def chosen(small: Driver) -> Driver:
    """Recolour; three cells of two regions and two variants are chosen, that of the last click is edited."""
    small.stage(5)
    small.settle()
    click(small, 0, 1)
    click(small, 3, 1, CTRL)
    click(small, 3, 2, CTRL)
    return small


def test_cells_are_chosen_with_control_and_shift(chosen: Driver) -> None:
    """The tray names what is chosen; a plain click, or a click on the sheet, chooses one cell again."""
    session, panel = chosen.session, chosen.tray.panel("Recolour")
    assert set(session.cells) == {("region_1", "day"), ("region_4", "day"), ("region_4", "dusk")}
    assert session.cells[0] == ("region_4", "dusk")
    names = session.kit
    told = panel.cell.text()
    assert all(names.region(key).name in told for key in ("region_1", "region_4"))
    assert all(names.variant_names[key] in told for key in ("day", "dusk"))
    click(chosen, 0, 0)
    assert session.cells == [("region_1", "")]
    click(chosen, 2, 2, SHIFT)
    assert len(session.cells) == 9
    session.select("region_3", "day")
    assert session.cells == [("region_3", "day")]


def test_what_is_changed_is_changed_in_all(chosen: Driver) -> None:
    """A colour that differs is shown as mixed; the one that is typed then is that of all, in one step."""
    session, panel = chosen.session, chosen.tray.panel("Recolour")
    editor = panel.editors["colour"]
    before = session.kit
    assert editor.hex.text() == "mixed"
    chosen.type(editor.hex, "#336699")
    chosen.settle()
    wanted = (0.2, 0.4, 0.6)
    for owner, variant in session.cells:
        assert read_cell(session.kit, owner, variant).settings[0]["colour"] == pytest.approx(wanted)
    assert read_cell(session.kit, "region_1", "") == read_cell(before, "region_1", "")
    assert editor.hex.text() == "#336699"
    assert "3 cells" in session.history.undo_labels[0]
    session.undo()
    assert session.kit == before


def test_delete_and_paste_go_to_all(chosen: Driver) -> None:
    session, board = chosen.session, chosen.board
    board.setFocus()
    before = session.kit
    chosen.key(board, Qt.Key.Key_Delete)
    for owner, variant in session.cells:
        inherited = read_cell(session.kit, owner, "").settings[0]["colour"]
        assert read_cell(session.kit, owner, variant).settings[0]["colour"] == inherited
    session.undo()
    assert session.kit == before
    source = read_cell(session.kit, "region_1", "day")
    QApplication.clipboard().setText(cell_to_text(source))
    chosen.key(board, Qt.Key.Key_V, CTRL)
    for owner, variant in session.cells:
        assert read_cell(session.kit, owner, variant).settings[0]["colour"] == source.settings[0]["colour"]


def test_the_clipboard_carries_cells(chosen: Driver) -> None:
    """Ctrl+C writes text that another window reads; text that was spoiled is refused with a sentence, other text is
    left alone."""
    session, board, clipboard = chosen.session, chosen.board, QApplication.clipboard()
    click(chosen, 0, 1)
    board.setFocus()
    chosen.key(board, Qt.Key.Key_C, CTRL)
    assert clipboard.text() == cell_to_text(read_cell(session.kit, "region_1", "day"))
    click(chosen, 3, 1)
    clipboard.setText(clipboard.text().replace('"tint"', '"tinted"'))
    before = session.kit
    chosen.key(board, Qt.Key.Key_V, CTRL)
    assert "unknown coat" in chosen.window.notice.text.text()
    assert session.kit == before
    clipboard.setText("a sentence")
    chosen.key(board, Qt.Key.Key_V, CTRL)
    copied = read_cell(session.kit, "region_1", "day").settings[0]["colour"]
    assert read_cell(session.kit, "region_4", "day").settings[0]["colour"] == copied
