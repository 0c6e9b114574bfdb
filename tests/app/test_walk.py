"""Random clicks, keys and drags over all stages."""

from collections.abc import Callable

import pytest
from PyQt6.QtWidgets import QFileDialog

from even_palette.app.main import open_demo
from even_palette.app.view_state import Panes
from even_palette.core.kit.validate import check_kit
from tests.app.conftest import Driver
from tests.app.walk import Walk, Watch


def test_a_walk_over_all_stages(make_window: Callable[..., Driver], monkeypatch: pytest.MonkeyPatch) -> None:
    """No error, and a kit that holds. How long the window's thread is busy is shown by bench_walk."""
    for name in ("getOpenFileName", "getOpenFileNames", "getSaveFileName"):
        monkeypatch.setattr(QFileDialog, name, lambda *_, **__: ("", ""))
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_, **__: "")
    driver = make_window()
    walk = Walk(driver.window, Watch(), seed=5)
    open_demo(driver.window)
    walk.settle()
    driver.window.stand.set_panes(Panes.BOTH)
    done = [walk.step() for _ in range(160)]
    walk.settle()
    assert {f"stage {number}" for number in range(1, 9)} <= set(done)
    check_kit(driver.session.kit)
