"""Scatter: by chance over a ground, none closer to another than a least distance."""

import math

import numpy as np

from even_palette.core.arrays import Samples
from even_palette.core.chance import hashed_unit
from even_palette.core.lineup.placings._declare import PlacingKind, on_ground
from even_palette.core.settings import Settings, SettingSpec

TRIES = 60
"""Places that are tried for each instance before the ground counts as full."""


def make(count: int, settings: Settings, seed: int) -> Samples:
    """Places are tried in an order that hangs on the seed alone; one that is too close to those before is left out."""
    wide, deep, least = (float(settings[name]) for name in ("wide", "deep", "least"))
    numbers = np.arange(count * TRIES)
    u, v = hashed_unit(numbers * 2, seed).astype(np.float64), hashed_unit(numbers * 2 + 1, seed).astype(np.float64)
    if settings["shape"] == "disc":
        u, v = np.sqrt(u) * np.cos(2 * np.pi * v) / 2 + 0.5, np.sqrt(u) * np.sin(2 * np.pi * v) / 2 + 0.5
    x, z = (u - 0.5) * wide, (v - 0.5) * deep
    if least <= 0:
        return on_ground(x[:count], z[:count])
    found = np.array(_apart(x.tolist(), z.tolist(), least, count), dtype=np.int64)
    return on_ground(x[found], z[found])


def _apart(x: list[float], z: list[float], least: float, count: int) -> list[int]:
    """The first places of which none is closer to another; cells as wide as the distance hold a few each."""
    cells: dict[tuple[int, int], list[int]] = {}
    found: list[int] = []
    for number, (one, other) in enumerate(zip(x, z, strict=True)):
        column, row = math.floor(one / least), math.floor(other / least)
        near = (cells.get((column + i, row + j), ()) for i in (-1, 0, 1) for j in (-1, 0, 1))
        if all((x[k] - one) ** 2 + (z[k] - other) ** 2 >= least * least for cell in near for k in cell):
            cells.setdefault((column, row), []).append(number)
            found.append(number)
            if len(found) == count:
                break
    return found


PLACING = PlacingKind(
    "scatter", "Scatter", "By chance over a ground: reeds, stones, people.", 4, make,
    (
        SettingSpec("shape", "Ground", "field", "What it is scattered over.",
                    choices=(("field", "A rectangle"), ("disc", "An oval"))),
        SettingSpec("wide", "Wide", 12.0, "How far the ground goes across.", 0.1, 5000, unit="m"),
        SettingSpec("deep", "Deep", 8.0, "How far it goes away.", 0.1, 5000, unit="m"),
        SettingSpec("least", "At least apart", 0.5, "None stands closer to another.", 0, 500, unit="m"),
    ),
    is_steady=True,
)  # fmt: skip
