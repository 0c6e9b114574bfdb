"""Random clicks, keys and drags over all stages, with a watch on the window's thread."""

from collections.abc import Callable

import pytest
from PyQt6.QtWidgets import QFileDialog

from even_palette.app.main import open_demo
from even_palette.app.view_state import Panes
from even_palette.core.kit.validate import check_kit
from tests.app.conftest import Driver
from tests.app.walk import Walk, Watch

MOST_S = 1.0
"""Far above what bench_walk shows; below what a hand takes for standing still on a machine several times as slow."""


def test_a_walk_over_all_stages(make_window: Callable[..., Driver], monkeypatch: pytest.MonkeyPatch) -> None:
    """No error, a kit that holds, and nothing that the window's thread is long busy with itself."""
    for name in ("getOpenFileName", "getOpenFileNames", "getSaveFileName"):
        monkeypatch.setattr(QFileDialog, name, lambda *_, **__: ("", ""))
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_, **__: "")
    driver, watch = make_window(), Watch()
    walk = Walk(driver.window, watch, seed=5)
    with watch.without_drawing():
        open_demo(driver.window)
        walk.settle()
        driver.window.stand.set_panes(Panes.BOTH)
        done = [walk.step() for _ in range(160)]
        walk.settle()
    assert {f"stage {number}" for number in range(1, 9)} <= set(done)
    assert watch.longest[0] < MOST_S, watch.longest
    check_kit(driver.session.kit)
