"""Ring: around a middle."""

import numpy as np

from even_palette.core.arrays import Samples
from even_palette.core.lineup.placings._declare import PlacingKind, on_ground
from even_palette.core.settings import Settings, SettingSpec


def make(count: int, settings: Settings, seed: int) -> Samples:
    """Evenly around a circle, from the front to the right; they look as they are, away from the middle or to it."""
    angle = np.arange(count) / max(count, 1) * 2 * np.pi
    radius = float(settings["radius"])
    turn = {"same": np.zeros(count), "out": np.degrees(angle), "in": np.degrees(angle) + 180}[str(settings["face"])]
    return on_ground(np.sin(angle) * radius, np.cos(angle) * radius, turn)


PLACING = PlacingKind(
    "ring", "Ring", "Around a middle.", 3, make,
    (
        SettingSpec("radius", "Radius", 4.0, "How far from the middle they stand.", 0.01, 1000, unit="m"),
        SettingSpec("face", "They look", "same", "Which way each is turned.",
                    choices=(("same", "All the same way"), ("out", "Away from the middle"), ("in", "To the middle"))),
    ),
)  # fmt: skip
