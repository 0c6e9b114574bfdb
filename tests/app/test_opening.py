"""What a kit showed first is kept, and seen until the views are ready; it is never another picture than theirs."""

from collections.abc import Callable
from pathlib import Path
from threading import Event

import numpy as np
import pytest

from even_palette.app import results
from even_palette.core.kit import commands
from tests.app.conftest import Driver, pixels

Reopen = Callable[..., tuple[Driver, Event]]


def seen(driver: Driver) -> np.ndarray:
    """What the sheet's pane shows, (h, w, 3) uint8."""
    return pixels(driver.stand.canvas.grab().toImage()).astype(int)


@pytest.fixture
def opened(small: Driver, tmp_path: Path) -> Driver:
    """The window that opened the small kit in Recolour."""
    small.stage(5)
    return open_kit(small, tmp_path)


def open_kit(driver: Driver, folder: Path) -> Driver:
    driver.window.open_paths([folder / "kit"])
    driver.settle()
    return driver


def keep(driver: Driver) -> None:
    """Let what was opened be kept, as at rest; the window then closes."""
    driver.window.opening.keep()
    driver.settle()
    driver.window.close()


@pytest.fixture
def reopen(make_window: Callable[[], Driver], monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> Reopen:
    """Another window that opens the small kit; the views wait for the event."""

    def reopened(stage: int = 5, width: int = 0) -> tuple[Driver, Event]:
        go, make_ready = Event(), results.make_ready

        def held(*arguments: object) -> None:
            assert go.wait(60)
            make_ready(*arguments)  # type: ignore[arg-type]

        monkeypatch.setattr(results, "make_ready", held)
        driver = make_window()
        driver.stage(stage)
        if width:
            driver.window.resize(width, driver.window.height())
        came: list[None] = []
        driver.session.document.opened.connect(lambda: came.append(None))
        driver.window.open_paths([tmp_path / "kit"])
        driver.qtbot.waitUntil(lambda: bool(came) and not driver.window.jobs.holds("opening"), timeout=20_000)
        return driver, go

    return reopened


@pytest.mark.parametrize("stage", [1, 5])
def test_seen_before_the_views_are_ready(small: Driver, reopen: Reopen, tmp_path: Path, stage: int) -> None:
    """The map in Source and the result in Recolour: what is seen first is what is drawn later, at every pixel."""
    small.stage(stage)
    keep(open_kit(small, tmp_path))
    again, go = reopen(stage)
    assert again.stand.canvas.seen
    before = seen(again)
    assert again.session.shown is None
    assert not again.stand.canvas.tiles
    assert before.std() > 20
    assert again.window.readout.findings.text() == "Checking …"
    go.set()
    again.settle()
    assert again.stand.canvas.tiles
    again.qtbot.waitUntil(lambda: "finding" in again.window.readout.findings.text(), timeout=20_000)
    assert np.abs(seen(again) - before).max() <= 1


def test_another_kit_is_not_taken_for_it(opened: Driver, reopen: Reopen) -> None:
    """Kept before the last save: what the saved kit looks like is not known."""
    opened.window.opening.keep()
    opened.session.do(commands.set_cell_value(opened.session.region, "strength", 0.5))
    opened.session.document.save()
    opened.settle()
    opened.window.close()
    again, go = reopen()
    assert not again.stand.canvas.seen
    go.set()
    again.settle()
    assert again.stand.canvas.seen


def test_unsaved_work_is_not_kept(opened: Driver, reopen: Reopen, tmp_path: Path) -> None:
    opened.session.do(commands.set_cell_value(opened.session.region, "strength", 0.5))
    opened.settle()
    keep(opened)
    (tmp_path / "kit" / "kit.autosave.json").unlink(missing_ok=True)
    again, go = reopen()
    assert not again.stand.canvas.seen
    go.set()


def test_a_stand_of_another_size_waits(opened: Driver, reopen: Reopen) -> None:
    keep(opened)
    again, go = reopen(width=1400)
    assert not again.stand.canvas.seen
    go.set()


def test_saved_work_is_kept_as_it_will_be_opened(opened: Driver, reopen: Reopen) -> None:
    """However it is looked at when it is saved: kept is what the next window shows first."""
    opened.session.do(commands.set_cell_value(opened.session.region, "strength", 0.5))
    opened.session.document.save()
    opened.settle()
    opened.stage(3)
    opened.stand.canvas.one_to_one()
    opened.settle()
    keep(opened)
    again, go = reopen()
    assert again.stand.canvas.seen
    before = seen(again)
    go.set()
    again.settle()
    assert np.abs(seen(again) - before).max() <= 1


def test_resizing_before_the_views_are_ready(opened: Driver, reopen: Reopen) -> None:
    """A picture of another size than the stand's is taken away."""
    keep(opened)
    again, go = reopen()
    assert again.stand.canvas.seen
    again.window.resize(again.window.width() + 120, again.window.height())
    again.qtbot.waitUntil(lambda: not again.stand.canvas.seen)
    go.set()
