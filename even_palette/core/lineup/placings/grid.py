"""Grid: rows behind each other."""

import numpy as np

from even_palette.core.arrays import Samples
from even_palette.core.lineup.placings._declare import PlacingKind, on_ground
from even_palette.core.settings import Settings, SettingSpec


def make(count: int, settings: Settings, seed: int) -> Samples:
    """Row by row from the front, each from the left, about the middle."""
    columns = min(int(float(settings["columns"])), max(count, 1))
    rows = -(-count // columns)
    number = np.arange(count)
    across = (number % columns - (columns - 1) / 2) * float(settings["apart"])
    away = ((rows - 1) / 2 - number // columns) * float(settings["behind"])
    return on_ground(across, away)


PLACING = PlacingKind(
    "grid", "Grid", "Rows behind each other.", 2, make,
    (
        SettingSpec("columns", "In a row", 10.0, "How many stand beside each other.", 1, 1000, True),
        SettingSpec("apart", "Apart", 2.0, "From the middle of one to that of the next beside it.", 0.01, 1000,
                    unit="m"),
        SettingSpec("behind", "Behind", 2.0, "From one row to the next.", 0.01, 1000, unit="m"),
    ),
)  # fmt: skip
