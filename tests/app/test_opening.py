"""Opening a kit: its views come before its checks."""

from pathlib import Path
from threading import Event

import pytest

from even_palette.app import results
from tests.app.conftest import Driver


def test_views_come_before_checks(small: Driver, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    """While views are made ready the window says that it checks; then the result is drawn, and findings are counted."""
    go, make_ready = Event(), results.make_ready

    def held(*arguments: object) -> None:
        assert go.wait(60)
        make_ready(*arguments)  # type: ignore[arg-type]

    monkeypatch.setattr(results, "make_ready", held)
    small.stage(5)
    came: list[None] = []
    small.session.document.opened.connect(lambda: came.append(None))
    small.window.open_paths([tmp_path / "kit"])
    small.qtbot.waitUntil(lambda: bool(came), timeout=20_000)
    assert not small.stand.canvas.seen
    assert small.window.readout.findings.text() == "Checking …"
    go.set()
    small.settle()
    assert small.stand.canvas.seen
    small.qtbot.waitUntil(lambda: "finding" in small.window.readout.findings.text(), timeout=20_000)
