"""Noise: gradient noise (Perlin 2002, Improving Noise) and cellular noise (Worley 1996), in sums of octaves, warped.

The same seed gives the same bytes on every machine. Places are in cells; where a number of cells is given as period,
what lies so many cells apart is the same, so that planes of whole periods tile without an edge.
"""

from dataclasses import dataclass
from enum import StrEnum
from functools import lru_cache

import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.chance import hashed_unit
from even_palette.core.jobs import CancelToken
from even_palette.core.settings import Settings, SettingSpec

MOST_OCTAVES = 8
ROWS = 1 << 16
FAR = 1e9
"""Places farther out, in cells, are as those there."""
TABLES = 19
PERLIN = bytes.fromhex(
    "97a0895b5a0f830dc95f6035c2e907e18c24671e458e086325f0150a17be0694f778ea4b001ac53e5efcdbcb75230b20"
    "39b12158ed953857ae147d88aba844af4aa547868b301ba64d929ee7536fe57a3cd385e6dc695c29372ef528f4668f36"
    "41193fa101d85049d14c84bbd05912a9c8c4878274bc9f56a4646dc6adba034034d9e2fa7c7b05ca2693767eff5255d4"
    "cfce3be32f103a11b6bd1c2adfb7aad577f898022c9aa346dd99659ba72bac09811627fd13626c6e4f71e0e8b2b97068"
    "daf661e4fb22f2c1eed2900cbfb3a2f1513391ebf90eef6b31c0d61fb5c76a9db854ccb07379322d7f0496fe8aeccd5d"
    "de72431d1848f38d80c34e42d73d9cb4"
)
"""The permutation of Perlin 2002, table of seed 0."""


class Form(StrEnum):
    """What noise looks like: soft clouds, distances to the nearest point, lines between cells, or a value a cell."""

    CLOUDS = "clouds"
    CELLS = "cells"
    CRACKS = "cracks"
    PATCHES = "patches"


MIDDLE = {Form.CLOUDS: 0.5, Form.CELLS: 0.45, Form.CRACKS: 0.25, Form.PATCHES: 0.5}
"""About the mean of each form, in the plane and in space; contrast leaves it where it is."""


@dataclass(frozen=True)
class Noise:
    """Noise as it is chosen. Each octave has half the size of the one before and `gain` of its weight.

    Places are moved by `warp` cells of clouds first. Values go through `contrast` about the MIDDLE of the form. In a
    `flat` one the third coordinate counts for nothing; `periods` are whole numbers of cells, 0 for none.
    """

    form: Form = Form.CLOUDS
    octaves: int = 1
    gain: float = 0.5
    contrast: float = 1.0
    warp: float = 0.0
    seed: int = 0
    flat: bool = False
    periods: tuple[int, int, int] = (0, 0, 0)


def table_of(seed: int, octave: int = 0) -> Samples:
    """A permutation of 0..255, twice in a row, (512,) int64: that of Perlin 2002 for seed and octave 0."""
    numbers = np.frombuffer(PERLIN, dtype=np.uint8).astype(np.int64)
    if seed or octave:
        numbers = np.argsort(hashed_unit(np.arange(256), seed * TABLES + octave), kind="stable").astype(np.int64)
    return np.concatenate([numbers, numbers])


@lru_cache(maxsize=8)
def _tables_of(seed: int) -> Samples:
    """The tables of all octaves and of the warp, (TABLES, 512)."""
    return np.stack([table_of(seed, octave) for octave in range(TABLES)])


def noise_at(places: Samples, noise: Noise, cancel: CancelToken | None = None) -> Floats:
    """Noise at places (n, 3), in cells: (n,) float32, 0..1. Raises Cancelled.

    Clouds are 0.5 + 0.5 of the gradient noise; cells the distance of the nearest point, in cells; cracks how much
    farther the second one is; patches a value of the nearest point's own.
    """
    from even_palette.core.noise_kernel import fill

    values = np.empty(len(places), dtype=np.float64)
    octaves = min(max(noise.octaves, 1), MOST_OCTAVES)
    for first in range(0, len(places), ROWS):
        if cancel:
            cancel.check()
        part = np.nan_to_num(places[first : first + ROWS].astype(np.float64)).clip(-FAR, FAR)
        fill(
            part, values[first : first + ROWS], list(Form).index(noise.form), octaves, float(noise.gain),
            float(noise.warp), _tables_of(noise.seed), *noise.periods, noise.flat,
        )  # fmt: skip
    middle = MIDDLE[noise.form]
    return float32(np.clip((values - middle) * noise.contrast + middle, 0, 1))


# As kinds of planes set it

SETTINGS = (
    SettingSpec("form", "Form", "clouds", "Soft clouds, round cells, lines between cells, or a value for each cell.",
              choices=(("clouds", "Clouds"), ("cells", "Cells"), ("cracks", "Cracks"), ("patches", "Patches"))),
    SettingSpec("octaves", "Octaves", 4.0, "How many sizes are added up, each half as large as the last.",
              1, MOST_OCTAVES, True),
    SettingSpec("gain", "Gain", 0.5, "How much each smaller size counts against the one before.", 0, 1),
    SettingSpec("contrast", "Contrast", 3.0, "How far values go apart about the middle.", 0, 16),
    SettingSpec("warp", "Warp", 0.0, "How far clouds of the same size push it about, in sizes.", 0, 4),
    SettingSpec("seed", "Seed", 1.0, "Another seed gives another noise; the same one the same bytes.", 0, 9999, True),
)  # fmt: skip


def noise_of(settings: Settings, flat: bool = False, periods: tuple[int, int, int] = (0, 0, 0)) -> Noise:
    """The noise that settings of SETTINGS choose."""
    return Noise(
        Form(str(settings["form"])), int(float(settings["octaves"])), float(settings["gain"]),
        float(settings["contrast"]), float(settings["warp"]), int(float(settings["seed"])), flat, periods,
    )  # fmt: skip
