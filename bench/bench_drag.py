"""A dragged colour, from the command to the frame that shows it in a sheet pane of 1280 x 800, in the real window.

The result against the base colour alone, which is drawn at each step too; with the demo as it is, and with twelve
regions of three coats and four overcoats: the worst of a few runs, on the machine as it is and with one core kept busy
by another process. Then results of sources of 8192 x 8192 against 1024 x 1024. All take turns.
"""

import os
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ["EVEN_PALETTE_STATE"] = tempfile.mkdtemp()

import numpy as np
from msgspec.structs import replace
from PyQt6.QtWidgets import QApplication

from even_palette.app import theme
from even_palette.app.window import Window
from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import Overcoats
from even_palette.core.kit.fingerprints import fingerprint
from even_palette.core.kit.model import Kit
from even_palette.core.kit.store import read_kit
from even_palette.core.material.model import Coat, PlaneUse
from even_palette.core.material.plane_reads import map_plane
from even_palette.core.raster.files import write_plane
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Plane
from even_palette.core.results.looks import Look
from even_palette.core.results.maps import plane_of_map
from even_palette.core.results.sheets import Sheets
from even_palette.cpu.drawing import LoopDrawing
from even_palette.demo import KIT_FOLDER

WIDTH, HEIGHT = 1280, 800
ROUNDS, A_ROUND, RUNS = 4, 6, 3
BUSY = "while True: pass"
VARIANT = "night_post"


class Bench:
    """A window with a kit, whose hull is painted anew step by step."""

    def __init__(self, kit: Kit) -> None:
        self.app = QApplication.instance()
        self.window = Window()
        self.window.show()
        self.window.session.document.open_copy(kit)
        self.settle()
        self.window.session.select("hull", variant=VARIANT)
        canvas = self.window.stand.canvas
        for _ in range(3):
            more = WIDTH - canvas.width(), HEIGHT - canvas.height()
            self.window.resize(self.window.width() + more[0], self.window.height() + more[1])
            self.settle()
        canvas.fit()
        self.settle()
        self.number = 0

    @property
    def loops(self) -> LoopDrawing:
        return next(drawer for drawer in self.window.stand.canvas.drawers if isinstance(drawer, LoopDrawing))

    def settle(self) -> None:
        calm = 0
        while calm < 20:
            self.app.processEvents()
            time.sleep(0.005)
            session = self.window.session
            busy = not session.settled or self.window.jobs.busy or self.window.stand.canvas.pending
            calm = 0 if busy else calm + 1

    def look(self, look: Look) -> None:
        self.window.stand.set_look(look)
        self.settle()

    def step(self) -> float:
        """Seconds from a step of the drag to the frame that shows it."""
        self.number += 1
        canvas, session = self.window.stand.canvas, self.window.session
        started = time.perf_counter()
        session.do(commands.set_cell_value("hull", "colour", (0.2, 0.3, self.number % 100 / 100), VARIANT))
        canvas.invalidate()  # what did not change would not be drawn again
        while canvas.pending or not session.settled:
            self.app.processEvents()
        canvas.repaint()
        return time.perf_counter() - started

    def until_quick(self, most_s: float = 240) -> bool:
        """Drag until loops draw, if they do on this machine."""
        ends = time.monotonic() + most_s
        while not self.loops.views and time.monotonic() < ends and self.window.renderer.in_software:
            self.step()
        return bool(self.loops.views)


RESULT, PAINT = Look(variant=VARIANT), Look("source")


def against_paint(name: str, kit: Kit, reach: float) -> None:
    bench = Bench(kit)
    bench.look(RESULT)
    how = "by loops" if bench.until_quick() else "by OpenGL"
    runs = [one_run(bench) for _ in range(RUNS)]
    busy = subprocess.Popen([sys.executable, "-c", BUSY])
    try:
        beside = [one_run(bench) for _ in range(RUNS)]
    finally:
        busy.kill()
        busy.wait()
    (alone, times), (crowded, crowded_times) = (max(found, key=lambda run: run[0]) for found in (runs, beside))
    for look, told in ((RESULT, f"result, {how}"), (PAINT, "base colour alone")):
        quiet, busy_ms = (statistics.median(spent[look]) * 1000 for spent in (times, crowded_times))
        print(f"  {name}: {told}: median {quiet:.1f} ms a step, {busy_ms:.1f} with one core busy")
    told = f"{alone:.2f} (reach: at most {reach}), {crowded:.2f} with one core busy"
    print(f"  {name}: worst ratio of {RUNS} runs {told}", flush=True)
    bench.window.close()


def one_run(bench: Bench) -> tuple[float, dict[Look, list[float]]]:
    """The ratio of the result to the base colour alone, with the seconds that it is of."""
    shares, times = [], {RESULT: [], PAINT: []}
    for _ in range(ROUNDS):
        medians = []
        for look in (RESULT, PAINT):
            bench.look(look)
            bench.step()
            found = [bench.step() for _ in range(A_ROUND)]
            times[look] += found
            medians.append(statistics.median(found))
        shares.append(medians[0] / medians[1])
    return statistics.median(shares), times


def much_more(kit: Kit) -> Kit:
    """The tug with twelve regions of three coats, and four overcoats."""
    sheet = kit.sheets[0]
    for number in range(12 - len(sheet.regions)):
        kit = commands.add_regions(sheet.key, [(9, 9, 9 + number)]).apply(kit)
    extra = (Coat("shift", {"hue": 12.0}), Coat("tint", {"strength": 0.4}), Coat("tonal"))
    for region in kit.sheets[0].regions:
        missing = 3 - len(region.coats) - (len(kit.recipe(region.recipe).coats) if region.recipe else 0)
        for coat in extra[: max(0, missing)]:
            kit = commands.add_coat(region.key, coat).apply(kit)
    base = next(source.key for source in sheet.sources if source.role == Role.BASE_COLOUR)
    while len(kit.sheets[0].overcoats) < 4:
        dirt = Coat("shift", {"hue": 5.0}, pattern=PlaneUse(map_plane(base)))
        kit = commands.add_coat(Overcoats(sheet.key), dirt).apply(kit)
    return kit


def enlarged(kit: Kit, times: int, folder: Path) -> Kit:
    """The kit with the maps of its first sheet enlarged so many times."""
    sheets, sheet = Sheets(), kit.sheets[0]
    sources = []
    for source in sheet.sources:
        samples = plane_of_map(source, sheets).samples.repeat(times, axis=0).repeat(times, axis=1)
        path = folder / f"{times}-{source.key}.tif"
        write_plane(path, Plane(np.ascontiguousarray(samples), source.encoding))
        seen = fingerprint(path)
        place = {"path": str(path), "size": seen.size, "sha256": seen.sha256, "width": 0, "height": 0}
        sources.append(replace(source, **place))
    return kit.with_sheet(replace(sheet, sources=tuple(sources)))


def large_against_small(kit: Kit) -> None:
    with tempfile.TemporaryDirectory() as place:
        benches = [Bench(enlarged(kit, times, Path(place))) for times in (1, 8)]
        for bench in benches:
            bench.look(RESULT)
            bench.until_quick()
        pairs = [[statistics.median(bench.step() for _ in range(A_ROUND)) for bench in benches] for _ in range(ROUNDS)]
        for name, column in (("1024 x 1024", 0), ("8192 x 8192", 1)):
            print(f"  {name}: median {statistics.median(pair[column] for pair in pairs) * 1000:.1f} ms a step")
        print(f"  ratio 8192 / 1024: {statistics.median(b / a for a, b in pairs):.2f} (reach: at most 1.2)")
        for bench in benches:
            bench.window.close()


def main() -> None:
    app = QApplication([])
    theme.apply_scheme(app, "day")
    print("A dragged colour in the window, a sheet pane of 1280 x 800")
    kit = read_kit(KIT_FOLDER)
    against_paint("demo", kit, 1.5)
    against_paint("12 regions of three coats, four overcoats", much_more(kit), 3.0)
    large_against_small(kit)
    os._exit(0)


if __name__ == "__main__":
    main()
