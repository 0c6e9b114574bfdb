"""While a value is dragged, what is beside the picture follows some times a second, and in the end shows what there is."""

import pytest

from even_palette.app.following import Following
from even_palette.core.kit import commands
from tests.app.conftest import Driver


def test_a_drag_is_followed_by_the_picture_first(small: Driver, monkeypatch: pytest.MonkeyPatch) -> None:
    """The first step is followed at once, those that fold into it by the picture alone; all follow when it rests."""
    small.stage(5)
    small.session.select("region_1", variant="day")
    small.settle()
    panel, refreshed, drawn = small.tray.panel("Recolour"), list[object](), list[object]()
    refresh, show = panel.refresh, small.stand.canvas.show_tiles
    monkeypatch.setattr(panel, "refresh", lambda: (refreshed.append(small.session.kit), refresh()))
    monkeypatch.setattr(small.stand.canvas, "show_tiles", lambda *given: (drawn.append(given), show(*given)))
    small.session.end_merge()
    small.session.do(commands.set_cell_value("region_1", "strength", 0.1, "day"))
    assert not small.session.history.in_drag
    assert refreshed
    small.settle()
    refreshed.clear()
    drawn.clear()
    for number in range(2, 9):
        small.session.do(commands.set_cell_value("region_1", "strength", number / 10, "day"))
    assert small.session.history.in_drag
    assert len(drawn) == 7
    assert not refreshed
    assert any(each.is_due for each in small.window.findChildren(Following))
    small.settle()
    assert refreshed[-1] is small.session.kit
    small.session.undo()
    assert refreshed[-1] is small.session.kit  # a step back is no drag
    assert not any(each.is_due for each in small.window.findChildren(Following))


def test_a_step_of_its_own_is_followed_at_once(small: Driver) -> None:
    """What was due from a drag does not come after it."""
    small.stage(5)
    small.settle()
    for number in range(3):
        small.session.do(commands.set_cell_value("region_1", "strength", 0.2 + number / 10, "day"))
    before = small.board.board_model.rowCount()
    small.session.do(commands.remove_region("region_4"))
    assert small.board.board_model.rowCount() == before - 1
    small.settle()
    assert small.board.board_model.rowCount() == before - 1
