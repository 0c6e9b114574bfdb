"""The window's thread in a dragged frame: its own CPU time with a driver that is done at once, maps of 1024² and 4096².

That is what somebody with a graphics card feels of us. A frame goes from the command to the picture that shows it, in
the window with the demo kit at 1280 x 800; a colour that a variant has is dragged, in the result: in Source, where
nothing else shows it, and in Recolour, where the tray shows the value and the board the cell, some times a second.
"""

import os
import statistics
import tempfile
from collections.abc import Callable
from pathlib import Path

from bench_drag import RESULT, VARIANT, Bench, enlarged
from PyQt6.QtCore import QEventLoop
from PyQt6.QtWidgets import QApplication

from even_palette.app import theme
from even_palette.core.arrays import Levels
from even_palette.core.kit import commands
from even_palette.core.kit.store import read_kit
from even_palette.core.results.pictures import Drawing, Picture, View
from even_palette.demo import KIT_FOLDER
from even_palette.gl.sheet_view import SheetRenderer
from tests.app.walk import Watch

FRAMES, FIRST = 120, 20
AIM_MS = 4.0


def frames(bench: Bench, watch: Watch) -> list[float]:
    """Milliseconds of the thread's own time for each of many frames."""
    canvas, session, wait = bench.window.stand.canvas, bench.window.session, QEventLoop.ProcessEventsFlag
    taken = []
    for number in range(FIRST + FRAMES):
        with watch.on("frame"):
            session.do(commands.set_cell_value("hull", "colour", (0.2, 0.3, number % 100 / 100), VARIANT))
            while canvas.pending or not session.settled:
                bench.app.processEvents(wait.AllEvents | wait.WaitForMoreEvents)
            bench.app.processEvents()  # what is left to paint
        taken.append(watch.taken[-1][0] * 1000)
    return taken[FIRST:]


class Drawn:
    """A drawing that is done, as a graphics card's is by the time it is asked for."""

    def __init__(self, pixels: Levels) -> None:
        self.pixels = pixels

    def done(self, wait_s: float = 0.0) -> bool:
        return True

    def drop(self) -> None:
        pass


def at_once(begin: Callable[..., Drawing]) -> Callable[..., Drawing]:
    """What draws a view once and then gives that picture again: the driver's own time is no part of a frame here."""
    kept: dict[View, Levels] = {}

    def begun(renderer: SheetRenderer, shown: Picture, view: View, filtered: bool = True) -> Drawing:
        if view not in kept:
            kept[view] = begin(renderer, shown, view, filtered).pixels
        return Drawn(kept[view])

    return begun


def main() -> None:
    app = QApplication([])
    theme.apply_scheme(app, "day")
    print("A dragged frame in the window: the thread's own time, without OpenGL's")
    kit, watch = read_kit(KIT_FOLDER), Watch()
    SheetRenderer.begin = at_once(SheetRenderer.begin)  # type: ignore[method-assign]
    with tempfile.TemporaryDirectory() as place, watch.without_drawing():
        for times in (1, 4):
            bench = Bench(enlarged(kit, times, Path(place)))
            bench.window.stand.canvas.drawers.remove(bench.loops)  # as where a graphics card draws
            for number, told in ((0, "the picture"), (4, "the picture, the tray's values and the board")):
                bench.window.enter_stage(number)
                bench.look(RESULT)
                found = frames(bench, watch)
                print(
                    f"  {1024 * times}², {told}: median {statistics.median(found):.1f} ms, 95 of 100 within "
                    f"{statistics.quantiles(found, n=20)[-1]:.1f} ms (aim: {AIM_MS:.0f})"
                )
            bench.window.close()
    os._exit(0)


if __name__ == "__main__":
    main()
