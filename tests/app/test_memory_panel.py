"""Help, Memory: who holds how much, and the share of the machine that all may hold."""

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from pytestqt.qtbot import QtBot

from even_palette.app.memory_panel import saved_share, take_saved_share
from even_palette.core.kit import commands
from even_palette.core.memory import physical_memory
from even_palette.core.memory_account import ACCOUNT
from tests.app.conftest import Driver, pixels


def action(driver: Driver, text: str):  # type: ignore[no-untyped-def]
    return next(each for each in driver.window.help_menu.actions() if each.text() == text)


@pytest.fixture
def budget():  # type: ignore[no-untyped-def]
    before = ACCOUNT.budget
    yield before
    ACCOUNT.budget = before


def test_the_list_and_the_share(small: Driver, qtbot: QtBot, budget: int) -> None:
    """A share that is set holds at once, everything goes on, and the next start takes it."""
    action(small, "Memory").trigger()
    panel = small.window.help.memory_panel
    assert panel.isVisible()
    held = {
        panel.list.topLevelItem(at).text(0): panel.list.topLevelItem(at).text(1)
        for at in range(panel.list.topLevelItemCount())
    }
    assert {"Results", "Textures", "Together"} <= held.keys()
    assert held["Results"] != "0.0 MiB"
    panel.share.setFocus()
    panel.share.selectAll()
    qtbot.keyClicks(panel.share, "5")
    qtbot.keyClick(panel.share, Qt.Key.Key_Return)
    assert ACCOUNT.budget == int(physical_memory() * 0.05)
    assert saved_share() == 0.05
    ACCOUNT.budget = budget
    take_saved_share()
    assert ACCOUNT.budget == int(physical_memory() * 0.05)
    qtbot.keyClick(panel, Qt.Key.Key_Escape)
    assert not panel.isVisible()


def test_everything_works_with_hardly_any_memory(demo: Driver, budget: int) -> None:
    """Edits of the demo are seen and undone, stages entered, on sheet and model, with next to nothing kept."""

    def seen() -> list[np.ndarray]:
        demo.settle()
        return [pixels(view.grab().toImage()) for view in (demo.stand.canvas, demo.stand.model.canvas)]

    for number in (2, 4, 7, 5):
        demo.stage(number)
        demo.settle()
    before = seen()
    ACCOUNT.budget = 1 << 20
    demo.session.do(commands.set_cell_value(demo.session.at.sheet.regions[0].key, "colour", (0.1, 0.9, 0.2)))
    assert not np.array_equal(seen()[0], before[0])
    for number in (2, 4, 7, 5):
        demo.stage(number)
        demo.settle()
    demo.session.undo()
    after = seen()
    assert all(np.abs(one.astype(int) - other).max() <= 1 for one, other in zip(before, after, strict=True))
