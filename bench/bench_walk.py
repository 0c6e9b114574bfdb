"""How long the window's thread is busy at a time: the first visit of each stage, and a random walk over all of them.

Its own seconds, without what OpenGL's calls take of them; beside it the longest time with these, by the clock. In the
window with the demo kit at 1280 x 800, both panes shown.
"""

import os
import tempfile
import time

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ["EVEN_PALETTE_STATE"] = tempfile.mkdtemp()

from PyQt6.QtCore import Qt, QtMsgType, qInstallMessageHandler
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog

from even_palette.app import theme
from even_palette.app.main import open_demo
from even_palette.app.stages import STAGES
from even_palette.app.view_state import Panes
from even_palette.app.window import Window
from tests.app.walk import Walk, Watch

STEPS, SEEDS = 250, (1, 2)


def nothing(kind: QtMsgType, context: object, text: str | None) -> None:
    """What Qt says of a screen that is not there."""


def main() -> None:
    app = QApplication([])
    qInstallMessageHandler(nothing)
    for name in ("getOpenFileName", "getOpenFileNames", "getSaveFileName", "getExistingDirectory"):
        setattr(QFileDialog, name, lambda *_, **__: ("", ""))
    theme.apply_scheme(app, "day")
    print("The window's thread, its own time at once, at 1280 x 800")
    worst, by_clock = (0.0, ""), 0.0
    for seed in SEEDS:
        window, watch, clock = Window(), Watch(), 0.0
        window.resize(1280, 800)
        window.show()
        walk = Walk(window, watch, seed)
        with watch.without_drawing():
            open_demo(window)
            walk.settle()
            window.stand.set_panes(Panes.BOTH)
            walk.settle()
            for number, stage in enumerate(STAGES):
                with watch.on(f"first visit of {stage.name}"):
                    QTest.mouseClick(window.rail.buttons[number], Qt.MouseButton.LeftButton)
                if seed == SEEDS[0]:
                    print(f"  first visit of {stage.name}: {watch.taken[-1][0] * 1000:.0f} ms (aim: 150)")
                walk.settle()
            for _ in range(STEPS):
                started = time.perf_counter()
                walk.step()
                clock = max(clock, time.perf_counter() - started)
            walk.settle()
        worst, by_clock = max(worst, watch.longest), max(by_clock, clock)
        window.close()
    print(f"  {len(SEEDS)} walks of {STEPS} steps: at the most {worst[0] * 1000:.0f} ms ({worst[1]}; aim: 250)")
    print(f"  a step with all its turns, OpenGL's calls too, by the clock: at the most {by_clock * 1000:.0f} ms")
    os._exit(0)


if __name__ == "__main__":
    main()
