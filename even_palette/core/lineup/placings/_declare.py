"""What a kind of placing declares, and what all of them have."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from even_palette.core.arrays import Samples
from even_palette.core.chance import hashed_unit
from even_palette.core.settings import Settings, SettingSpec, filled

TURN, SCALE = 101, 211
"""Seeds are moved by this for what is drawn beside places."""
COMMON = (
    SettingSpec("turn", "Turned", 0.0, "How far each is turned about its upright axis.", -180, 180, unit="°"),
    SettingSpec("turn_range", "Turned ±", 0.0, "How far it is turned further by chance, either way.", 0, 180, unit="°"),
    SettingSpec("smallest", "Smallest", 1.0, "The least that an instance is scaled by.", 0.05, 20, unit="×"),
    SettingSpec("largest", "Largest", 1.0, "The most that an instance is scaled by.", 0.05, 20, unit="×"),
)
"""Settings of all kinds."""


@dataclass(frozen=True)
class PlacingKind:
    """A way of placing instances. `make` takes how many, the settings and a seed, and gives x, y and z in metres and a
    turn in degrees, (n, 4) float64; n may be less where there is no room.

    Without it places are those of a list.
    """

    name: str
    label: str
    help: str
    place: int
    make: Callable[[int, Settings, int], Samples] | None = None
    values: tuple[SettingSpec, ...] = ()

    def settings(self, own: Settings) -> dict[str, float | str]:
        """The settings with defaults filled in, numbers held in their ranges."""
        return filled((*self.values, *COMMON), own)


def placed(kind: PlacingKind, count: int, own: Settings, seed: int) -> Samples:
    """Places of instances (n, 5) float64: x, y, z in metres, turn in degrees, scale. For kinds that make them."""
    assert kind.make is not None
    settings = kind.settings(own)
    spots = kind.make(count, settings, seed)
    numbers = np.arange(len(spots))
    turn = float(settings["turn"]) + (hashed_unit(numbers, seed + TURN) * 2 - 1) * float(settings["turn_range"])
    least, most = float(settings["smallest"]), float(settings["largest"])
    scale = least + (max(most, least) - least) * hashed_unit(numbers, seed + SCALE)
    return np.column_stack([spots[:, :3], spots[:, 3] + turn, scale])


def on_ground(x: Samples, z: Samples, turn: Samples | float = 0.0) -> Samples:
    """Spots (n, 4) at y = 0."""
    return np.column_stack([x, np.zeros(len(x)), z, np.broadcast_to(turn, x.shape)]).astype(np.float64)
