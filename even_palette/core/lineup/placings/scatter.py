"""Scatter: by chance over a ground, none closer to another than a least distance."""

import numpy as np

from even_palette.core.arrays import Samples
from even_palette.core.chance import hashed_unit
from even_palette.core.lineup.placings._declare import PlacingKind, on_ground
from even_palette.core.settings import Settings, SettingSpec

TRIES, LEAST_PART, PART = 60, 256, 4096
"""Places that are tried for each instance before the ground counts as full, and at a time."""


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
    found = _apart(np.column_stack([x, z]), least, count)
    return on_ground(found[:, 0], found[:, 1])


def _apart(places: Samples, least: float, count: int) -> Samples:
    """The first places (n, 2) of which none is closer than that to one before it, (count or fewer, 2).

    They are looked at in parts: what is too close to those of the parts before goes, then the others are gone through
    in their order. A part in which there is no room left is the last.
    """
    from scipy.spatial import cKDTree

    found, first, size = np.zeros((0, 2)), 0, LEAST_PART
    while first < len(places):
        part = places[first : first + size]
        first, size = first + size, min(size * 2, PART)  # few at first: all may lie close together
        if len(found):
            near, _ = cKDTree(found).query(part, distance_upper_bound=least)
            part = part[np.isinf(near)]
        if not len(part):
            break
        taken = np.ones(len(part), dtype=bool)
        close = cKDTree(part).query_pairs(least * (1 - 1e-12), output_type="ndarray")
        for one, other in close[np.lexsort((close[:, 1], close[:, 0]))].tolist():
            taken[other] &= not taken[one]
        found = np.concatenate([found, part[taken]])
        if len(found) >= count:
            break
    return found[:count]


PLACING = PlacingKind(
    "scatter", "Scatter", "By chance over a ground: reeds, stones, people.", 4, make,
    (
        SettingSpec("shape", "Ground", "field", "What it is scattered over.",
                    choices=(("field", "A rectangle"), ("disc", "An oval"))),
        SettingSpec("wide", "Wide", 12.0, "How far the ground goes across.", 0.1, 5000, unit="m"),
        SettingSpec("deep", "Deep", 8.0, "How far it goes away.", 0.1, 5000, unit="m"),
        SettingSpec("least", "At least apart", 0.5, "None stands closer to another.", 0, 500, unit="m"),
    ),
)  # fmt: skip
