"""Unmixing: the time of 4096² with 64 colours beside one Gaussian of scipy.ndimage, and the errors through JPEG.

The timed map is a grid of cells in all colours of four levels a channel, grown from 1024² so that its borders are
mixed. The errors are those of charts with curved borders and junctions whose coverage is known by analysis, kept as
JPEG of quality 90 (ITU-T T.81, by Pillow), beside keying with the best of many tolerances. With `--write` they go into
docs/unmixing.md.
"""

import io
import statistics
import sys
import time
from pathlib import Path

import numpy as np
from PIL import Image
from scipy.ndimage import gaussian_filter, zoom

from even_palette.core.regions.id_colours import list_id_colours
from even_palette.core.regions.keying import Metric, key_mask
from even_palette.core.regions.unmix import WHOLE, unmix

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT))

from tests.core.charts import chart  # noqa: E402

SIDE, CELLS, ROUNDS = 4096, 16, 3
CHART, COUNTS, CHROMA = 1024, (4, 16, 64), {"full": 0, "halved": 2}
INNER, OUTER = (0, 4, 8, 16, 32, 64), (16, 32, 48, 64, 96, 128, 160, 200, 255)
REACH = 0.5


def id_map() -> np.ndarray:
    """Levels (SIDE, SIDE, 3) uint8."""
    steps = np.array([0, 85, 170, 255])
    colours = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1).reshape(-1, 3)
    cells = np.random.default_rng(3).permutation(CELLS * CELLS).reshape(CELLS, CELLS) % len(colours)
    small = colours[np.kron(cells, np.ones((64, 64), dtype=np.int64))].astype(np.uint8)
    grown = [
        zoom(small[..., channel], SIDE / len(small), order=1, grid_mode=True, mode="nearest") for channel in range(3)
    ]
    return np.stack(grown, axis=-1)


def seconds(work) -> float:  # type: ignore[no-untyped-def]
    started = time.perf_counter()
    work()
    return time.perf_counter() - started


def through_jpeg(count: int, subsampling: int | None) -> tuple[float, float, tuple[int, int]]:
    """Mean error in 1/255 on border texels, of the weights that are really there: unmixed, keyed, and how it was keyed.

    Without a subsampling the chart is read as it is.
    """
    made = chart(count, CHART, seed=7)
    levels = made.levels
    if subsampling is not None:
        kept = io.BytesIO()
        Image.fromarray(levels).save(kept, "JPEG", quality=90, subsampling=subsampling)
        levels = np.asarray(Image.open(kept))
    there, at_border = made.weights > 0, levels.reshape(-1, 3)[made.border]

    def error(shares: np.ndarray) -> float:
        return 255 * float(np.abs(shares - made.weights)[there].mean())

    found = unmix(levels, list_id_colours(levels), lossy=subsampling is not None)
    owner = np.abs(found.colours[:, None].astype(int) - made.colours[None]).max(axis=-1).argmin(axis=1)
    shares = [found.shares_of(owner == number).ravel()[made.border] / WHOLE for number in range(count)]
    keyed = {}
    for inner in INNER:
        for outer in OUTER:
            if inner < outer:
                masks = [
                    key_mask(at_border[None], tuple(map(int, colour)), inner, outer, Metric.CHEBYSHEV)[0]
                    for colour in made.colours
                ]
                stacked = np.stack(masks, axis=1)
                keyed[inner, outer] = error(stacked / np.maximum(1, stacked.sum(axis=1, keepdims=True)))
    best = min(keyed, key=lambda tolerances: keyed[tolerances])
    return error(np.stack(shares, axis=1)), keyed[best], best


def tell_errors(write: bool) -> None:
    rows = []
    print("Mean error on border texels, in 1/255: unmixed, keyed with its best tolerances, ratio")
    for count in COUNTS:
        for name, subsampling in {"none": None, **CHROMA}.items():
            unmixed, keyed, (inner, outer) = through_jpeg(count, subsampling)
            file = "as drawn" if subsampling is None else f"JPEG 90, {name} chroma"
            reach = "" if subsampling is None else f" (reach: at most {REACH})"
            print(f"  {count} colours, {file}: {unmixed:.2f}, {keyed:.2f}, {unmixed / keyed:.2f}{reach}")
            figures = f"{unmixed:.2f} | {keyed:.2f} | {inner} to {outer} | {unmixed / keyed:.2f}"
            rows.append(f"| {count} | {file} | {figures} |")
    if write:
        head = f"""# Unmixing, measured

Made by `bench/bench_unmix.py --write` on charts of {CHART}² with curved borders and junctions, whose coverage is known
by analysis. Mean error on the texels that borders cross, of the weights that are really there, in 1/255; beside it that
of keying with the best of {len(INNER) * len(OUTER)} pairs of tolerances (in levels), which a hand would have to find
first.

| colours | file | unmixed | keyed | best tolerances | ratio |
|---|---|---|---|---|---|
"""
        (ROOT / "docs" / "unmixing.md").write_text(head + "\n".join(rows) + "\n")


def main() -> None:
    tell_errors("--write" in sys.argv)
    levels = id_map()
    found = list_id_colours(levels)
    plane = levels[..., 0].astype(np.float32)
    unmix(levels[:256, :256], found)  # compiled, or read from the compiled ones
    pairs = [
        (seconds(lambda: unmix(levels, found)), seconds(lambda: gaussian_filter(plane, 4.0))) for _ in range(ROUNDS)
    ]
    own, other = (statistics.median(times) for times in zip(*pairs, strict=True))
    ratio = statistics.median(a / b for a, b in pairs)
    print(f"Unmixing 4096 x 4096 with {len(found.colours)} colours: {own:.2f} s; a Gaussian of sigma 4: {other:.2f} s")
    print(f"  ratio: {ratio:.1f} (aim: at most 10)")


if __name__ == "__main__":
    main()
