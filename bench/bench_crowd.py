"""A lineup of 1, 500 and 2,000 instances in the window at 1280 x 800: frames, the window's own time, and memory.

A parameter that all share is dragged, with a driver that is done at once: that is what somebody with a graphics card
feels of us. Beside it, what OpenGL takes here, and what 2,000 instances take of memory beside one.
"""

import os
import statistics
import tempfile
import time
from collections.abc import Callable

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ["EVEN_PALETTE_STATE"] = tempfile.mkdtemp()

import numpy as np
from bench_frame import Drawn
from PyQt6.QtCore import QEventLoop
from PyQt6.QtWidgets import QApplication

from even_palette.app import theme
from even_palette.app.window import Window
from even_palette.core.kit import commands
from even_palette.core.kit.history import History
from even_palette.core.kit.model import Kit
from even_palette.core.kit.scene import Placing
from even_palette.core.kit.store import read_kit
from even_palette.core.results.crowd import crowds_of
from even_palette.core.results.pictures import Drawing
from even_palette.core.results.scene_view import framing
from even_palette.core.results.sheets import Sheets
from even_palette.demo import KIT_FOLDER
from even_palette.gl.crowd_view import CrowdRenderer
from even_palette.gl.model_view import Light

COUNTS, FRAMES, FIRST, VARIANT = (1, 500, 2000), 60, 10, "night_post"
MESHES = {"ferry tug": ("ferry_tug", "hull", "colour", 0), "reeds": ("reed_clump_2", "blades", "hue", 1)}
MOST_RATIO, MOST_MEMORY = 1.5, 64


def kit_with(kit: Kit, mesh: str, count: int) -> Kit:
    """The demo with a scene of so many instances, all of one variant."""
    history = History(kit)
    history.do(commands.add_scene("Bench"))
    values = {"columns": 50.0, "apart": 3.0, "behind": 3.0}
    placing = Placing("", "Grid", "grid", mesh, count, shares={VARIANT: 1.0}, values=values)
    history.do(commands.add_placing("bench", placing))
    return history.kit


def at_once(renderer: CrowdRenderer, crowds, orbit, width: int, height: int, *rest: object) -> Drawing:  # type: ignore[no-untyped-def]
    """No drawing at all."""
    return Drawn(np.zeros((height, width, 4), np.uint8))


def own_time(window: Window, owner: str, value: str, coat: int) -> float:
    """The median milliseconds of the window's thread for a frame in which a shared parameter is dragged."""
    session, canvas, wait = window.session, window.centre.scene.canvas, QEventLoop.ProcessEventsFlag
    app, taken = QApplication.instance(), []
    assert app is not None
    for number in range(FIRST + FRAMES):
        setting = (0.2, 0.3, number % 50 / 50) if value == "colour" else float(number % 50)
        before = time.thread_time()
        session.do(commands.set_cell_value(owner, value, setting, VARIANT, coat))
        while canvas.pending or not session.settled:
            app.processEvents(wait.AllEvents | wait.WaitForMoreEvents)
        app.processEvents()
        taken.append((time.thread_time() - before) * 1000)
    return statistics.median(taken[FIRST:])


def settle(window: Window) -> None:
    app, calm = QApplication.instance(), 0
    assert app is not None
    while calm < 20:
        app.processEvents()
        time.sleep(0.005)
        busy = not window.session.settled or window.jobs.busy or window.centre.scene.canvas.pending
        calm = 0 if busy else calm + 1


def memory(count: int, kit: Kit, mesh: str) -> int:
    """Bytes that the crowds of so many instances take beside their meshes and planes."""
    made = kit_with(kit, mesh, count)
    crowds = crowds_of(made, Sheets(), made.scene("bench"))
    return sum(crowd.stands.nbytes + sum(part.table.nbytes for part in crowd.parts) for crowd in crowds)


def main() -> None:
    app = QApplication([])
    theme.apply_scheme(app, "day")
    kit, real = read_kit(KIT_FOLDER), CrowdRenderer.render
    draw: Callable[..., Drawing] = at_once
    for name, (mesh, owner, value, coat) in MESHES.items():
        print(f"{name}: a shared parameter is dragged")
        first = 0.0
        for count in COUNTS:
            CrowdRenderer.render = real  # type: ignore[method-assign]
            window = Window()
            window.resize(1280, 800)
            window.show()
            window.session.document.open_copy(kit_with(kit, mesh, count))
            settle(window)
            window.enter_stage(5)
            window.session.view.change(scene="bench")
            settle(window)
            pane = window.centre.scene
            renderer = window.renderer._crowd_renderer()
            orbit = framing(pane.canvas.crowds, 856, 416)
            renderer.render(pane.canvas.crowds, orbit, 856, 416, Light(smooth=False)).pixels  # noqa: B018
            before = time.perf_counter()
            renderer.render(pane.canvas.crowds, orbit, 856, 416, Light(smooth=False)).pixels  # noqa: B018
            whole = (time.perf_counter() - before) * 1000
            CrowdRenderer.render = draw  # type: ignore[method-assign]
            own = own_time(window, owner, value, coat)
            first = first or own
            print(
                f"  {count:>5} instances: own time {own:.1f} ms, {own / first:.2f} of one's (most {MOST_RATIO} at 500);"
                f" drawn by this machine's OpenGL in {whole:.0f} ms"
            )
            window.close()
        more = (memory(COUNTS[-1], kit, mesh) - memory(1, kit, mesh)) / (1 << 20)
        print(f"  {COUNTS[-1]:,} instances take {more:.1f} MiB more than one (most: {MOST_MEMORY})")
    os._exit(0)


if __name__ == "__main__":
    main()
