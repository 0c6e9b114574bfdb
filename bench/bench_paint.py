"""Strokes in the real window: sheets of 8192² against 1024², the sheet pane and the model pane, and a long stroke.

A dab is timed from the movement of the mouse to the pane painted with it. A timer tells how long the window did not
answer during a stroke of 1,000 dabs and after it.
"""

import os
import statistics
import tempfile
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ["EVEN_PALETTE_STATE"] = tempfile.mkdtemp()
os.environ["EVEN_PALETTE_CACHE"] = tempfile.mkdtemp()

import numpy as np
from PyQt6.QtCore import QEvent, QPointF, Qt, QTimer
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QApplication, QWidget

from even_palette import scripting
from even_palette.app import theme
from even_palette.app.main import open_demo
from even_palette.app.view_state import Hand, Panes
from even_palette.app.window import Window
from even_palette.core.raster.files import write_plane
from even_palette.core.raster.plane import Encoding, Plane

SIDES = (1024, 8192)
DABS, LONG = 60, 1000
RADIUS = 64.0


def make_kit(side: int, folder: Path) -> None:
    """Grey paint and an ID map of two halves."""
    folder.mkdir(parents=True)
    ids = np.zeros((side, side, 3), dtype=np.uint8)
    ids[:, : side // 2, 0] = 255
    ids[:, side // 2 :, 1] = 255
    write_plane(folder / "base_color.png", Plane(np.full((side, side, 3), 120, np.uint8), Encoding.SRGB))
    write_plane(folder / "id.png", Plane(ids, Encoding.DATA))
    write_dome(folder / "dome.obj")
    with scripting.new_kit("Bench") as kit:
        kit.add_map(folder / "base_color.png", "base colour")
        kit.add_map(folder / "id.png", "ID map")
        kit.do("add_regions", "sheet_1", [(255, 0, 0), (0, 255, 0)])
        kit.add_mesh(folder / "dome.obj")
        kit.save(folder / "kit")


def write_dome(path: Path, across: int = 96, down: int = 48) -> None:
    """Half a ball of 9,216 triangles whose UVs fill the sheet."""
    lines = []
    for v in range(down + 1):
        for u in range(across + 1):
            lap, rise = np.pi * u / across, np.pi * v / down
            lines.append(f"v {-np.cos(lap) * np.sin(rise):.5f} {np.cos(rise):.5f} {np.sin(lap) * np.sin(rise):.5f}")
            lines.append(f"vt {u / across:.6f} {1 - v / down:.6f}")
    for v in range(down):
        for u in range(across):
            a = v * (across + 1) + u + 1
            b, c, d = a + 1, a + across + 2, a + across + 1
            lines += [f"f {a}/{a} {d}/{d} {c}/{c}", f"f {a}/{a} {c}/{c} {b}/{b}"]
    path.write_text("\n".join(lines) + "\n")


def send(widget: QWidget, kind: QEvent.Type, at: QPointF) -> None:
    left, none = Qt.MouseButton.LeftButton, Qt.MouseButton.NoButton
    which = none if kind == QEvent.Type.MouseMove else left
    held = none if kind == QEvent.Type.MouseButtonRelease else left
    place = QPointF(widget.mapToGlobal(at.toPoint()))
    QApplication.sendEvent(widget, QMouseEvent(kind, at, place, which, held, Qt.KeyboardModifier.NoModifier))


class Bench:
    """A window in which one paints."""

    def __init__(self) -> None:
        self.window = Window()
        self.window.resize(1280, 772)
        self.window.show()
        self.app = QApplication.instance()
        self.gaps: list[float] = []
        self._last = time.perf_counter()
        self._pulse = QTimer()
        self._pulse.timeout.connect(self._tick)
        self._pulse.start(2)

    def _tick(self) -> None:
        now = time.perf_counter()
        self.gaps.append(now - self._last)
        self._last = now

    def rest(self) -> None:
        """Wait until nothing is under way and everything is drawn."""
        stand = self.window.stand
        quiet = 0
        while quiet < 20:
            self.app.processEvents()
            pending = stand.canvas.pending or stand.model.canvas.pending
            busy = not self.window.session.settled or self.window.jobs.busy or pending
            quiet = 0 if busy else quiet + 1
            time.sleep(0.001)

    def paint_in(self, region: str, panes: Panes = Panes.SHEET) -> None:
        """Enter Masks with the paint of a region in hand."""
        self.window.enter_stage(2)
        self.rest()
        self.window.stand.choose_panes(panes)
        self.window.session.select(region)
        self.rest()
        self.window.painting.choose_hand(Hand.PAINT)
        self.window.session.view.change_painter(radius=RADIUS)
        self.rest()

    def paint_plane(self) -> None:
        """Enter Tones with a plane of its own to paint."""
        self.window.stand.choose_panes(Panes.SHEET)
        self.window.enter_stage(3)
        self.rest()
        self.window.tray.panel("Tones").add("painted")
        self.rest()
        self.window.painting.choose_hand(Hand.PAINT)
        self.rest()

    def stroke(self, view: QWidget, points: list[QPointF]) -> list[float]:
        """Seconds from each movement to the painted pane; then the hand lifts and all comes to rest."""
        send(view, QEvent.Type.MouseButtonPress, points[0])
        spent = []
        for at in points[1:]:
            started = time.perf_counter()
            send(view, QEvent.Type.MouseMove, at)
            self.app.processEvents()
            spent.append(time.perf_counter() - started)
        send(view, QEvent.Type.MouseButtonRelease, points[-1])
        self.rest()
        return spent


def told(what: str, spent: list[float]) -> None:
    print(f"  {what}: median {statistics.median(spent) * 1000:.1f} ms, longest {max(spent) * 1000:.1f} ms")


def dabs(benches: list[Bench], what: str) -> None:
    """Strokes on both sizes by turns, and the ratio of their dabs."""
    print(f"One dab of radius {RADIUS:g} into {what}, from the movement to the painted sheet pane, 1:1")
    medians: list[list[float]] = [[], []]
    for round_ in range(8):
        for number in (0, 1) if round_ % 2 else (1, 0):
            bench = benches[number]
            y = 160.0 + 12 * round_
            points = [QPointF(150 + i * RADIUS * 0.2, y) for i in range(DABS)]
            medians[number] += bench.stroke(bench.window.stand.canvas, points)[1:]
    for side, spent in zip(SIDES, medians, strict=True):
        told(f"{side}²", spent)
    ratio = statistics.median(medians[1]) / statistics.median(medians[0])
    print(f"  ratio {ratio:.2f} (reach: at most 1.2; median under 16 ms)")


def on_the_model(name: str, bench: Bench) -> None:
    """A stroke across the model."""
    bench.paint_in(bench.window.session.at.sheet.regions[0].key, Panes.MODEL)
    view = bench.window.stand.model.canvas
    rows, columns = np.nonzero(view.face_ids() >= 0)
    middle = int(np.median(rows))
    across = np.sort(columns[rows == middle])
    points = [QPointF(float(x), float(middle)) for x in across[:: max(1, len(across) // DABS)]]
    told(name, bench.stroke(view, points))


def main() -> None:
    app = QApplication([])
    theme.apply_scheme(app, "day")
    folder = Path(tempfile.mkdtemp())
    benches = []
    for side in SIDES:
        make_kit(side, folder / str(side))
        bench = Bench()
        bench.window.session.open_kit(folder / str(side) / "kit")
        bench.rest()
        bench.paint_in(bench.window.session.at.sheet.regions[0].key)
        # One texel a pixel on both, so that a dab covers as many pixels.
        bench.window.stand.canvas.one_to_one()
        bench.rest()
        benches.append(bench)
    dabs(benches, "a region")
    print(f"A stroke of {LONG} dabs on 8192²")
    bench = benches[1]
    bench.gaps.clear()
    turns = np.linspace(0, 12 * np.pi, LONG)
    points = [QPointF(420 + 250 * np.cos(t) * t / 38, 300 + 200 * np.sin(t) * t / 38) for t in turns]
    told("each movement", bench.stroke(bench.window.stand.canvas, points))
    print(f"  longest that the window did not answer, with what follows: {max(bench.gaps) * 1000:.0f} ms")
    print("One dab on the model pane: the demo at 1024², a dome at both sizes")
    bench = Bench()
    open_demo(bench.window)
    bench.rest()
    for name, each in (("demo", bench), *((f"dome, {side}²", b) for side, b in zip(SIDES, benches, strict=True))):
        on_the_model(name, each)
    for bench in benches:
        bench.paint_plane()
        bench.window.stand.canvas.one_to_one()
        bench.rest()
    dabs(benches, "a plane of its own")
    for bench in benches:
        bench.window.close()
    os._exit(0)


if __name__ == "__main__":
    main()
