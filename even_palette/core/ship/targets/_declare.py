"""What a target declares."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from even_palette.core.ship.shipment import Shipment


@dataclass(frozen=True)
class Target:
    """For whom a package is written: its texts beside the maps and package.json, by the names of their files.

    `texts` reads nothing but the shipment; shaders of sheets go by the names that the shipment has for them. `help` is
    a sentence for who chooses, `place` where it stands among the others.
    """

    name: str
    label: str
    help: str
    place: int
    texts: Callable[[Shipment], Mapping[str, str]]
