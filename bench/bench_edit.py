"""A tolerance edit that changes one tile, and a drag of a colour, in the real window: sheets of 4096² against 1024².

The board, the checks, the jobs and the thumbnails are as they are; the sheets take turns in one run. Each edit is
timed from the command to the frame that shows it. A timer tells how long the window did not answer,
and how much of that its own thread worked: the rest is the machine, whose processors are shared.
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
from PyQt6.QtCore import QEventLoop, QTimer
from PyQt6.QtWidgets import QApplication

from even_palette import scripting
from even_palette.app import theme
from even_palette.app.window import Window
from even_palette.core.kit import commands
from even_palette.core.kit.commands import Command
from even_palette.core.raster.files import write_plane
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.results.weights import weights_of

SIDES = (1024, 4096)
EDITS = 50
COLOURS = [
    (220, 40, 40),
    (40, 200, 60),
    (40, 60, 220),
    (230, 210, 40),
    (40, 200, 210),
    (200, 50, 200),
    (120, 80, 30),
    (230, 140, 30),
]
WAIT = QEventLoop.ProcessEventsFlag.WaitForMoreEvents
SPOT = 100
"""The only texels whose weight depends on the tolerance: a square of so many, within one tile."""


class Bench:
    """A window with a kit of one sheet, its seconds by edit, and the longest time that it did not answer."""

    def __init__(self, side: int, folder: Path) -> None:
        self.window = Window()
        self.window.resize(1280, 772)
        self.window.show()
        make_kit(side, folder)
        self.window.session.open_kit(folder / "kit")
        self.window.enter_stage(2)
        self.app = QApplication.instance()
        self.gaps: list[float] = []
        self.own: list[float] = []
        self._worked = 0.0
        self._editing, self._last = False, time.perf_counter()
        self._pulse = QTimer()
        self._pulse.timeout.connect(self._tick)
        self._pulse.start(2)
        self.rest()

    def _tick(self) -> None:
        now, worked = time.perf_counter(), time.thread_time()
        if self._editing:
            self.gaps.append(now - self._last)
            self.own.append(worked - self._worked)
        self._last, self._worked = now, worked

    def forget(self) -> None:
        """Begin to count anew."""
        self.gaps.clear()
        self.own.clear()

    def rest(self) -> None:
        """Wait until nothing is under way."""
        until = time.perf_counter() + 0.3
        while time.perf_counter() < until:
            self.app.processEvents(WAIT)
            window = self.window
            if (
                window.jobs.busy
                or not window.session.settled
                or window.stand.canvas.pending
                or not window.thumbnails.settled
            ):
                until = time.perf_counter() + 0.3

    def changed_tiles(self, command: Command) -> int:
        """Do an edit; at how many places it changed tiles of the weights."""
        session = self.window.session

        def tiles() -> list[tuple[object, ...]]:
            return list(
                zip(*(plane.grid.tiles for plane in weights_of(session.at, session.sheets).packed), strict=True)
            )

        before = tiles()
        self.edit(command)
        return sum(
            any(a is not b for a, b in zip(old, new, strict=True)) for old, new in zip(before, tiles(), strict=True)
        )

    def edit(self, command: Command) -> float:
        """Seconds from a command to the frame that shows it."""
        session, canvas = self.window.session, self.window.stand.canvas
        self.rest()
        self._editing = True
        self._last = started = time.perf_counter()
        self._worked = time.thread_time()
        session.do(command)
        while session.shown is None or session.shown.kit is not session.kit or canvas.pending:
            self.app.processEvents(WAIT)
        seconds = time.perf_counter() - started
        self.rest()
        self._editing = False
        return seconds


def make_kit(side: int, folder: Path) -> None:
    """A sheet of eight bands; a soft spot in the first."""
    random = np.random.default_rng(5)
    base = random.integers(40, 220, (side // 8, side // 8, 3), dtype=np.uint8).repeat(8, axis=0).repeat(8, axis=1)
    bands = np.array(COLOURS, dtype=np.uint8)[np.arange(side) * len(COLOURS) // side]
    ids = np.broadcast_to(bands[:, None], (side, side, 3)).copy()
    ids[10 : 10 + SPOT, 10 : 10 + SPOT, 1] += (np.arange(SPOT) * 60 // SPOT).astype(np.uint8)
    folder.mkdir()
    for name, samples in (("sheet_base_colour", base), ("sheet_id", ids)):
        write_plane(folder / f"{name}.png", Plane(samples, Encoding.SRGB))
    with scripting.new_kit("Bands") as kit:
        for name, role in (("sheet_base_colour", "base colour"), ("sheet_id", "ID map")):
            kit.add_map(folder / f"{name}.png", role=role)
        kit.do("add_regions", kit.at().key, COLOURS)
        kit.do("set_unmix", kit.at().key, None)
        for number in range(4):
            kit.do("add_variant", f"Variant {number + 1}")
        for number, region in enumerate(kit.at().sheet.regions):
            kit.do("set_coat_kind", region.key, "tint")
            kit.do(
                "set_cell_value", region.key, "colour", (0.3, 0.1 * number, 0.4), variant=f"variant_{number % 4 + 1}"
            )
        kit.save(folder / "kit")


def told(name: str, benches: list[Bench], pairs: list[list[float]], reach: str) -> None:
    print(name)
    for bench, seconds in zip(benches, zip(*pairs, strict=True), strict=True):
        side = bench.window.session.at.sheet.sources[0].width
        gaps = sorted(bench.gaps)
        worst, own, late = (1000 * each for each in (gaps[-1], max(bench.own), gaps[len(gaps) * 99 // 100]))
        most = f"longest without an answer {worst:.0f} ms (own work at most {own:.0f}), 99 % below {late:.0f}"
        print(f"  {side} x {side}: median {statistics.median(seconds) * 1000:.0f} ms to pixels; {most} ms")
        bench.forget()
    print(f"  ratio 4096 / 1024: {statistics.median(large / small for small, large in pairs):.2f} ({reach})")


def main() -> None:
    app = QApplication([])
    theme.apply_scheme(app, "day")
    with tempfile.TemporaryDirectory() as place:
        benches = [Bench(side, Path(place) / str(side)) for side in SIDES]
        region = benches[0].window.session.at.sheet.regions[0].key
        for bench in benches:
            bench.edit(commands.set_tolerance(region, 11, 70))
            assert bench.changed_tiles(commands.set_tolerance(region, 12, 70)) == 1
            bench.forget()
        pairs = [
            [bench.edit(commands.set_tolerance(region, 2 + n % 9, 64 + n)) for bench in benches] for n in range(EDITS)
        ]
        told(
            f"Tolerance edits to pixels, one tile changed, {EDITS} edits",
            benches,
            pairs,
            "reach: at most 1.5; answers: aim 50 ms",
        )
        for bench in benches:
            bench.window.session.select(variant="variant_1")
            bench.window.enter_stage(4)
        pairs = [
            [
                bench.edit(commands.set_cell_value(region, "colour", (n / EDITS, 0.2, 0.6), "variant_1"))
                for bench in benches
            ]
            for n in range(EDITS)
        ]
        told(f"Steps of a colour's drag to pixels, {EDITS} steps", benches, pairs, "stated; answers: aim 50 ms")
        for bench in benches:
            bench.window.session.close()
    os._exit(0)


if __name__ == "__main__":
    main()
