"""Memory of 30 edits in the real window: a sheet of 8192² with 12 regions of soft masks, beside the same at 1024².

The ID map is of 60 cells in 12 colours whose borders are mixed over several texels; each region is feathered. Every
edit (tolerances, feathers, colours, and some undone) is seen before the next. Each size has a process of its own, whose
largest resident size is stated; textures count, since the software rasterizer keeps them in the same memory. At the end
what the account of memory says is put beside what the process holds beyond what it held before the kit was opened. With
`half` the account has half of its budget.
"""

import os
import resource
import subprocess
import sys
import tempfile
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ["EVEN_PALETTE_STATE"] = tempfile.mkdtemp()
os.environ["EVEN_PALETTE_CACHE"] = tempfile.mkdtemp()

SIDES = (1024, 8192)
REGIONS = 12
CELLS = 60
EDITS = 30
REACH = 6.0
"""GiB."""


def make_kit(side: int, folder: Path) -> None:
    import numpy as np
    from scipy.ndimage import zoom
    from scipy.spatial import cKDTree

    from even_palette import scripting
    from even_palette.core.kit.sheet import Step
    from even_palette.core.raster.files import write_plane
    from even_palette.core.raster.plane import Encoding, Plane

    random = np.random.default_rng(11)
    levels = (30, 130, 230)
    colours = [(r, g, b) for r in levels for g in levels for b in levels][1 : 2 * REGIONS : 2]
    points = random.random((CELLS, 2))
    at = (np.indices((512, 512)).reshape(2, -1).T + 0.5) / 512
    cells = cKDTree(points).query(at)[1].reshape(512, 512) % REGIONS
    ids = np.array(colours, dtype=np.uint8)[cells]
    grown = [zoom(ids[..., channel], side / 512, order=1, grid_mode=True, mode="nearest") for channel in range(3)]
    base = random.integers(40, 220, (side // 8, side // 8, 3), dtype=np.uint8).repeat(8, axis=0).repeat(8, axis=1)
    folder.mkdir()
    for name, samples in (("sheet_base_colour", base), ("sheet_id", np.stack(grown, axis=2))):
        write_plane(folder / f"{name}.png", Plane(samples, Encoding.SRGB))
    del grown, base
    with scripting.new_kit("Cells") as kit:
        for name, role in (("sheet_base_colour", "base colour"), ("sheet_id", "ID map")):
            kit.add_map(folder / f"{name}.png", role=role)
        kit.do("add_regions", kit.at().key, colours)
        kit.do("set_unmix", kit.at().key, None)
        for number in range(4):
            kit.do("add_variant", f"Variant {number + 1}")
        for region in kit.at().sheet.regions:
            kit.do("set_coat_kind", region.key, "tint")
            kit.do("add_step", region.key, Step("feather", {"radius": 6.0}))
        kit.save(folder / "kit")


def resident() -> float:
    """What the process holds now, in GiB."""
    from even_palette.core.memory import give_back

    give_back()
    return int(Path("/proc/self/statm").read_text().split()[1]) * os.sysconf("SC_PAGE_SIZE") / 2**30


def edit(folder: Path, share: float) -> None:
    from PyQt6.QtCore import QEventLoop
    from PyQt6.QtWidgets import QApplication

    from even_palette.app import theme
    from even_palette.app.window import Window
    from even_palette.core.kit import commands
    from even_palette.core.kit.sheet import Step
    from even_palette.core.memory_account import ACCOUNT

    ACCOUNT.budget = int(ACCOUNT.budget * share)
    app = QApplication([])
    theme.apply_scheme(app, "day")
    window = Window()
    window.resize(1280, 772)
    window.show()
    session = window.session

    def rest() -> None:
        while (
            window.jobs.busy
            or session.shown is None
            or session.shown.kit is not session.kit
            or not session.settled
            or window.stand.canvas.pending
            or not window.thumbnails.settled
        ):
            app.processEvents(QEventLoop.ProcessEventsFlag.AllEvents, 20)

    before = resident()
    session.open_kit(folder / "kit")
    rest()
    regions = [region.key for region in session.at.sheet.regions]
    for number in range(EDITS):
        region = regions[number % len(regions)]
        kind = number % 5
        window.enter_stage(4 if kind == 2 else 2)
        if kind == 0:
            session.do(commands.set_tolerance(region, 4 + number % 9, 60 + number))
        elif kind in (1, 3):
            session.do(commands.change_step(region, 0, Step("feather", {"radius": 2.0 + number})))
        elif kind == 2:
            session.do(commands.set_cell_value(region, "colour", (number / EDITS, 0.2, 0.6), "variant_1"))
        else:
            session.undo()
        rest()
        print(f"{number + 1} of {EDITS}", end="\r", file=sys.stderr, flush=True)
    kept = sum(line.held for line in ACCOUNT.lines()) / 2**30
    print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 2**20, kept, resident() - before)
    sys.stdout.flush()
    os._exit(0)


def main(share: float) -> None:
    print(f"Largest resident memory of {EDITS} edits in the window, {REGIONS} regions of soft masks")
    for side in SIDES:
        with tempfile.TemporaryDirectory() as place:
            folder = Path(place) / "kit_of_cells"
            subprocess.run([sys.executable, __file__, "make", str(side), str(folder)], check=True)
            done = subprocess.run(
                [sys.executable, __file__, "edit", str(folder), str(share)],
                check=True,
                stdout=subprocess.PIPE,
                text=True,
            )
            reach = f" (reach: at most {REACH:.0f})" if side == max(SIDES) else ""
            most, kept, held = map(float, done.stdout.split()[-3:])
            print(f"  {side} x {side}: {most:.2f} GiB{reach}")
            print(f"    at the end {held:.2f} GiB beyond the start, of which the account says {kept:.2f}")


if __name__ == "__main__":
    match sys.argv[1:]:
        case ["make", side, folder]:
            make_kit(int(side), Path(folder))
        case ["edit", folder, share]:
            edit(Path(folder), float(share))
        case ["half"]:
            main(0.5)
        case _:
            main(1.0)
