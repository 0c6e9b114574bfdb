"""The window answers: its thread makes, reads and waits for nothing."""

import sys
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import Qt

from even_palette.app.main import open_demo
from even_palette.app.stages import STAGES
from even_palette.app.stand.renderer import to_image
from even_palette.app.view_state import Panes
from even_palette.core.kit import commands
from even_palette.core.kit.store import read_kit
from even_palette.core.material.model import Coat
from even_palette.core.results.cache import Cache
from even_palette.core.results.looks import Look
from even_palette.cpu.drawing import LoopDrawing
from tests.app.conftest import Driver, pixels

FILES = {"open", "os.listdir", "os.scandir", "os.mkdir", "os.remove", "os.rename", "fcntl.flock", "subprocess.Popen"}
"""Audit events of Python (its library reference, table of audit events) that touch files or start programs."""
_seen: list[str] | None = None


@pytest.fixture
def demo(make_window: Callable[..., Driver]) -> Driver:
    """The window with the demo kit, and nothing made before."""
    driver = make_window()
    open_demo(driver.window)
    driver.settle()
    return driver


def _hear(event: str, arguments: tuple[object, ...]) -> None:
    """Note what the window's thread does with files. An audit hook stays for the life of the process."""
    if _seen is None or event not in FILES or threading.current_thread() is not threading.main_thread():
        return
    frame, ours = sys._getframe(1), []
    while frame is not None:
        name = frame.f_code.co_filename
        if "importlib" in name:
            return
        if "even_palette/" in name:
            ours.append(f"{name.rpartition('even_palette/')[2]}:{frame.f_lineno}")
        frame = frame.f_back  # type: ignore[assignment]
    if ours:
        _seen.append(f"{event} {arguments[0]} in {' < '.join(ours[:4])}")


sys.addaudithook(_hear)


@contextmanager
def files_of_the_window() -> Iterator[list[str]]:
    """What the window's thread does with files meanwhile."""
    global _seen
    _seen = []
    try:
        yield _seen
    finally:
        _seen = None


def one_of_each_kind(driver: Driver) -> list[Look]:
    """A look of each kind that is offered: those of one kind go the same way."""
    return list({look.kind: look for _, look in driver.stand.looks(driver.session.at)}.values())


def test_no_file_is_touched_on_the_windows_thread(demo: Driver, tmp_path: Path) -> None:
    """Through every stage and look, edits, autosave, save, save as, ship, proof, and opening the kit again."""
    document, ship = demo.session.document, demo.tray.panel("Ship")
    demo.stand.set_panes(Panes.BOTH)
    with files_of_the_window() as seen:
        for number in range(len(STAGES)):
            demo.stage(number + 1)
            demo.settle()
        for look in one_of_each_kind(demo):
            demo.stand.set_look(look)
            demo.settle()
        demo.session.do(commands.rename_region("hull", "Planks"))
        document.autosave()
        demo.settle()
        document.save_as(tmp_path / "kit")
        demo.settle()
        demo.session.do(commands.rename_region("hull", "Hull"))
        demo.window.save()
        demo.settle()
        ship.folder.setText(str(tmp_path / "package"))
        demo.click(ship.ship_button)
        demo.settle()
        demo.click(ship.proof_button)
        demo.qtbot.waitUntil(lambda: "The package holds." in ship.proof_result.text(), timeout=60_000)
        demo.window.open_paths([tmp_path / "kit"])
        demo.settle()
    assert seen == []
    assert read_kit(tmp_path / "kit") == demo.session.kit


def drop_all(cache: Cache) -> None:
    """Let go of every result that is not held for the views, as a full memory would."""
    held = set().union(*cache._held.values())
    for key in [key for key in cache._results if key not in held]:
        cache._remove(key)


def test_what_is_gone_is_made_again_on_a_worker(demo: Driver) -> None:
    """With a cache that is emptied again and again the views keep their pictures, have all made anew, and then show
    what they showed."""
    stand, session = demo.stand, demo.session
    stand.set_panes(Panes.BOTH)
    demo.stage(5)
    demo.settle()
    demo.qtbot.waitUntil(lambda: demo.window.thumbnails.settled, timeout=60_000)
    before = {view: pixels(view.grab().toImage()) for view in (stand.canvas, stand.model.canvas, demo.board)}
    for variant in ("night_post", session.variant):
        drop_all(session.sheets.cache)
        stand.set_look(Look(variant=variant))
        demo.settle()
        assert all(canvas.tiles for canvas in (stand.canvas, stand.model.canvas))
    demo.qtbot.waitUntil(lambda: demo.window.thumbnails.settled, timeout=60_000)
    for view, old in before.items():
        new = pixels(view.grab().toImage())
        assert np.array_equal(new, old), (
            f"{view.accessibleName()}: {np.count_nonzero((new != old).any(axis=-1))} pixels"
        )


def test_every_stage_comes_back_with_an_empty_cache(demo: Driver) -> None:
    """No stage, sheet or look needs more than what workers make for it: nothing of it is an error."""
    demo.stand.set_panes(Panes.BOTH)
    for sheet in demo.session.kit.sheets:
        demo.session.show_sheet(sheet.key)
        first = sheet is demo.session.kit.sheets[0]
        for number in range(len(STAGES)) if first else (4,):
            drop_all(demo.session.sheets.cache)
            demo.stage(number + 1)
            demo.key(demo.stand.canvas, Qt.Key.Key_F)
            demo.settle()
        for look in one_of_each_kind(demo) if first else ():
            drop_all(demo.session.sheets.cache)
            demo.stand.set_look(look)
            demo.settle()
            assert demo.stand.canvas.tiles, (sheet.name, look, demo.stand.canvas.message)


def test_the_driver_waits_for_the_first_picture(make_window: Callable[[], Driver]) -> None:
    """A window that shows nothing yet does not start OpenGL: loading its driver from a cold disk takes long."""
    driver = make_window()
    driver.settle()
    driver.window.grab()
    assert driver.window.renderer._draw is None


def test_a_value_that_is_dragged_is_drawn_by_loops(small: Driver, monkeypatch: pytest.MonkeyPatch) -> None:
    """On a software rasterizer: after some steps loops draw what OpenGL draws, and other programs are drawn by it."""
    stand, session = small.stand, small.session
    loops = next(drawer for drawer in stand.canvas.drawers if isinstance(drawer, LoopDrawing))
    monkeypatch.setattr(small.window.renderer._sheets.__class__, "in_software", property(lambda _: True))

    def drag(step: int) -> None:
        session.do(commands.set_cell_value("region_1", "colour", (0.2, step % 40 / 40, 0.6), "day"))
        small.qtbot.waitUntil(lambda: not stand.canvas.pending, timeout=20_000)

    session.select("region_1", variant="day")
    steps = iter(range(10_000))
    deadline = time.monotonic() + 600
    while not loops.views and time.monotonic() < deadline:
        drag(next(steps))
    assert loops.views
    drag(next(steps))
    (tile,) = stand.canvas.tiles
    view = stand.canvas.camera.view(stand.canvas.field(0).width(), stand.canvas.field(0).height())
    drawn = loops.begin(tile.picture, view, True)
    assert drawn is not None
    assert np.array_equal(pixels(to_image(drawn)), pixels(stand.canvas._images[0][0]))
    by_opengl = small.window.renderer.render(tile.picture, view)
    assert np.abs(drawn.astype(int) - by_opengl).max() <= 2
    # a coat more is another program: OpenGL serves until its loops are there
    session.do(commands.add_coat("region_1", Coat("shift", {"hue": 40.0})))
    small.settle()
    (tile,) = stand.canvas.tiles
    assert loops.begin(tile.picture, view, True) is None


def test_values_alone_need_no_worker(small: Driver) -> None:
    """A step of a drag is shown at once; what the sheet is made of is prepared on a worker."""
    session = small.session
    session.do(commands.set_cell_value("region_1", "colour", (0.2, 0.4, 0.6), "day"))
    small.settle()
    session.do(commands.set_cell_value("region_1", "colour", (0.2, 0.5, 0.6), "day"))
    assert session.shown is not None
    assert session.shown.kit is session.kit
    session.do(commands.set_cell_value("region_1", "colour", (0.7, 0.5, 0.6)))  # the master's, a default
    assert session.shown.kit is session.kit
    session.do(commands.set_cell_value("region_2", "strength", 0.5))  # of all, fixed
    assert session.shown.kit is session.kit
    session.do(commands.add_coat("region_1", Coat("shift", {"hue": 40.0})))
    assert session.shown.kit is not session.kit
    small.settle()
    assert session.shown.kit is session.kit
