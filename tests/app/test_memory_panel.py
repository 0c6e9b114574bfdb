"""Help, Memory: who holds how much, and the share of the machine that all may hold."""

import numpy as np
from PyQt6.QtCore import Qt
from pytestqt.qtbot import QtBot

from even_palette.app.memory_panel import saved_share, take_saved_share
from even_palette.core.kit import commands
from even_palette.core.memory import physical_memory
from even_palette.core.memory_account import ACCOUNT
from tests.app.conftest import Driver, pixels


def action(driver: Driver, text: str):  # type: ignore[no-untyped-def]
    return next(each for each in driver.window.help_menu.actions() if each.text() == text)


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


def test_everything_works_with_hardly_any_memory(small: Driver, budget: int) -> None:
    """Edits are seen and undone, and stages entered, with room for next to nothing: what was let go is made again.

    There is no room for textures either, so the reference draws: coarse at first, and exactly where samplers round.
    """

    def seen() -> np.ndarray:
        small.settle()
        return pixels(small.stand.canvas.grab().toImage())

    def walk() -> None:
        for number in (2, 4, 7, 5):
            small.stage(number)
            small.settle()

    walk()
    before = seen()
    ACCOUNT.budget = 20 << 10
    small.session.do(commands.set_cell_value("region_1", "colour", (0.1, 0.9, 0.2)))
    assert not np.array_equal(seen(), before)
    walk()
    small.session.undo()
    small.qtbot.waitUntil(lambda: np.abs(seen().astype(int) - before).max() <= 2, timeout=60_000)
