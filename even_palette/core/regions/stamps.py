"""Stamps: tips that are images. Those that are shipped are made here, from hashes alone."""

from collections.abc import Callable
from functools import cache

import numpy as np

from even_palette.core.arrays import Floats, float32
from even_palette.core.chance import hashed_unit

SIDE = 128


def _places() -> tuple[Floats, Floats]:
    """x and y of the texels of a stamp, -1..1."""
    at = float32((np.arange(SIDE) + 0.5) / SIDE * 2 - 1)
    return np.broadcast_arrays(at[None, :], at[:, None])  # type: ignore[return-value]


def _round() -> Floats:
    """A soft disc that fades before the stamp's edge."""
    x, y = _places()
    return float32(np.clip((1 - np.sqrt(x * x + y * y)) / 0.25, 0, 1))


def _random(count: int, seed: int) -> Floats:
    return hashed_unit(np.arange(count), seed)


def _noise(cells: int, seed: int) -> Floats:
    """Value noise with so many cells a side, smooth between."""
    grid = _random((cells + 1) ** 2, seed).reshape(cells + 1, cells + 1)
    at = (np.arange(SIDE) + 0.5) / SIDE * cells
    low = at.astype(int)
    t = at - low
    t = t * t * (3 - 2 * t)
    rows = grid[low] * (1 - t)[:, None] + grid[low + 1] * t[:, None]
    return float32(rows[:, low] * (1 - t) + rows[:, low + 1] * t)


def _spots(count: int, least: float, most: float, seed: int, spread: float = 0.9) -> Floats:
    """Discs of different sizes at random places."""
    x, y = _places()
    rolled = _random(4 * count, seed).reshape(count, 4)
    out = np.zeros((SIDE, SIDE), dtype=np.float32)
    for turn, far, size, strength in rolled:
        reach = np.sqrt(far) * spread if spread <= 1 else far**2
        px, py = reach * np.cos(turn * 2 * np.pi), reach * np.sin(turn * 2 * np.pi)
        radius = least + (most - least) * size**3
        distance = np.sqrt((x - px) ** 2 + (y - py) ** 2)
        out = np.maximum(out, np.clip((radius - distance) * SIDE / 2, 0, 1) * (0.5 + 0.5 * strength))
    return float32(out)


def speckle() -> Floats:
    """Many small flecks."""
    return float32(_spots(140, 0.012, 0.05, 11) * (_round() > 0))


def dots() -> Floats:
    """Round dots in rows."""
    x, y = _places()
    far = np.sqrt((np.mod(x * 4, 1) - 0.5) ** 2 + (np.mod(y * 4, 1) - 0.5) ** 2)
    return float32(np.clip((0.3 - far) * SIDE / 8 + 0.5, 0, 1) * _round())


def weave() -> Floats:
    """Threads over and under each other."""
    x, y = _places()
    across, along = np.mod(x * 5, 1), np.mod(y * 5, 1)
    over = (np.floor(x * 5) + np.floor(y * 5)) % 2 == 0
    thread = np.where(over, 1 - np.abs(across - 0.5) * 1.6, 1 - np.abs(along - 0.5) * 1.6)
    return float32(np.clip(thread, 0, 1) * _round())


def grain() -> Floats:
    """Fine, stretched noise."""
    fine = np.repeat(_random(SIDE * SIDE // 8, 5).reshape(SIDE, SIDE // 8), 8, axis=1)
    return float32(np.clip(fine * 0.6 + _noise(9, 6) * 0.7 - 0.25, 0, 1) * _round())


def cracks() -> Floats:
    """Borders between the cells of random points (Worley 1996)."""
    x, y = _places()
    points = _random(2 * 26, 21).reshape(26, 2) * 2 - 1
    bent = (_noise(7, 22) - 0.5) * 0.16
    far = np.sort([np.sqrt((x + bent - px) ** 2 + (y - bent - py) ** 2) for px, py in points], axis=0)
    return float32(np.clip((0.035 - (far[1] - far[0])) * SIDE / 3, 0, 1) * (_round() > 0.1))


def splatter() -> Floats:
    """A blot with drops around it."""
    x, y = _places()
    edge = 0.34 + (_noise(8, 31) - 0.5) * 0.3
    blot = np.clip((edge - np.sqrt(x * x + y * y)) * SIDE / 3, 0, 1)
    return float32(np.maximum(blot, _spots(60, 0.01, 0.1, 33)))


STAMPS: dict[str, Callable[[], Floats]] = {
    "speckle": speckle,
    "cracks": cracks,
    "weave": weave,
    "dots": dots,
    "grain": grain,
    "splatter": splatter,
}


@cache
def shipped_stamp(name: str) -> Floats:
    """One of the shipped stamps, (128, 128) float32 0..1. Raises KeyError for another name."""
    made = STAMPS[name]()
    made.setflags(write=False)
    return made
