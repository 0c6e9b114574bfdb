"""Parameter drag to pixels at 1280 x 800: sources of 8192 x 8192 against 1024 x 1024, taking turns in one run."""

import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np

from even_palette.core.kit import commands
from even_palette.core.kit.commands import point_map_to
from even_palette.core.kit.history import History
from even_palette.core.kit.store import fingerprint, read_kit
from even_palette.core.raster.files import write_plane
from even_palette.core.raster.plane import Plane
from even_palette.core.results.looks import Look, View, picture
from even_palette.core.results.sheets import Sheets
from even_palette.demo import KIT_FOLDER
from even_palette.gl.sheet_view import SheetRenderer

WIDTH, HEIGHT, ROUNDS = 1280, 800, 25


def drag(times: int, folder: Path, renderer: SheetRenderer) -> Callable[[int], float]:
    """The demo kit with its maps enlarged so many times; the function made drags one step and gives its seconds."""
    sheets, history = Sheets(), History(read_kit(KIT_FOLDER))
    for source in history.kit.sheets[0].sources:
        samples = sheets.plane(source).samples.repeat(times, axis=0).repeat(times, axis=1)
        path = folder / f"{times}-{source.role}.tif".replace(" ", "_")
        write_plane(path, Plane(np.ascontiguousarray(samples), source.encoding))
        seen = fingerprint(path)
        history.do(point_map_to(history.kit.sheets[0].key, source.key, str(path), seen.size, seen.sha256))
    side = 1024 * times
    scale = 1.0 / (HEIGHT - 24)
    view = View((0.5 - WIDTH / 2 * scale, 0.5 - HEIGHT / 2 * scale), (scale, scale), WIDTH, HEIGHT)

    def step(number: int) -> float:
        started = time.perf_counter()
        history.do(commands.set_cell_value("hull", "colour", (0.2, 0.3, (number % 100) / 100), "Night Post"))
        renderer.render(picture(history.kit.at(), sheets, Look(variant="night_post")), view)
        return time.perf_counter() - started

    for number in range(3):
        step(number)
    print(f"  {side} x {side}: ready", flush=True)
    return step


def main() -> None:
    print("Parameter drag to pixels at 1280 x 800")
    with tempfile.TemporaryDirectory() as place:
        renderer = SheetRenderer()
        small, large = (drag(times, Path(place), renderer) for times in (1, 8))
        pairs = [(large(number), small(number)) for number in range(ROUNDS)]
    for name, column in (("8192 x 8192", 0), ("1024 x 1024", 1)):
        print(f"  {name}: median {statistics.median(pair[column] for pair in pairs) * 1000:.1f} ms a step")
    ratio = statistics.median(a / b for a, b in pairs)
    print(f"  ratio 8192 / 1024: {ratio:.2f} (reach: at most 1.2)")


if __name__ == "__main__":
    main()
