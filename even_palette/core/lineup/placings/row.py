"""Row: one beside the other."""

import numpy as np

from even_palette.core.arrays import Samples
from even_palette.core.lineup.placings._declare import PlacingKind, on_ground
from even_palette.core.settings import Settings, SettingSpec


def make(count: int, settings: Settings, seed: int) -> Samples:
    """Along x or z, about the middle."""
    at = (np.arange(count) - (count - 1) / 2) * float(settings["apart"])
    zero = np.zeros(count)
    return on_ground(at, zero) if settings["along"] == "x" else on_ground(zero, at)


PLACING = PlacingKind(
    "row", "Row", "One beside the other: the fleet at the quay.", 1, make,
    (
        SettingSpec("apart", "Apart", 2.0, "From the middle of one to that of the next.", 0.01, 1000, unit="m"),
        SettingSpec("along", "Along", "x", "Which way the row runs.", choices=(("x", "Across"), ("z", "Away"))),
    ),
)  # fmt: skip
