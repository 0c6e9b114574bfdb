"""Unmixing an ID map of 4096² with 64 colours, beside one Gaussian of scipy.ndimage over a plane of the same size.

The map is a grid of cells in all colours of four levels a channel, grown from 1024² so that its borders are mixed.
"""

import statistics
import time

import numpy as np
from scipy.ndimage import gaussian_filter, zoom

from even_palette.core.regions.id_colours import list_id_colours
from even_palette.core.regions.unmix import unmix

SIDE, CELLS, ROUNDS = 4096, 16, 3


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


def main() -> None:
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
