"""Light for scenes: where the sun stands by the hour, what it and the sky give, and what lamps do.

Light is linear, in units in which a white, rough surface that faces the sun gives what the sun's colour says.
"""

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from even_palette.core.raster.plane import Plane

LATITUDE, DECLINATION = math.radians(50.0), math.radians(15.0)
"""Of the stated place and day: the middle of Europe, in early May."""
RAYLEIGH = (0.049, 0.097, 0.220)
"""Optical depth of clear air at sea level at 650, 550 and 450 nm (Bodhaine, Wood, Dutton and Slusser 1999)."""
HAZE = 0.06
SUN = 2.6
"""What the sun gives above the air."""
BLUE, GLOW, MOONLESS = (0.20, 0.36, 0.72), (0.95, 0.42, 0.16), (0.0035, 0.0045, 0.008)
"""Of the sky by day straight up, of its edge when the sun is low, and by night; chosen by eye."""
EARTH = 0.22
"""What the ground gives back."""

Triple = tuple[float, float, float]


@dataclass(frozen=True)
class Lighting:
    """Light on a scene. `towards` the sun (a unit vector, y up, z to the south, x to the east) and what it gives; what
    the sky gives straight up, at its edge, and the ground.

    Lamps have a place in metres and what they give at a metre. Then come `stops` of exposure (powers of two), whether
    what is too bright is rolled off (`rolls_off`), and whether the sky is seen behind all. A `surround` (see
    `surround.surround_atlas`), `turned` by radians, takes the place of the sky.
    """

    towards: Triple
    sun: Triple
    up: Triple
    side: Triple
    ground: Triple
    lamps: tuple[tuple[Triple, Triple], ...] = ()
    stops: float = 0.0
    rolls_off: bool = False
    sky_behind: bool = False
    surround: Plane | None = None
    turned: float = 0.0


def sun_at(hour: float) -> tuple[Triple, float]:
    """Towards the sun at an hour 0..24 of solar time, and its height in radians (Meeus 1998, chapter 13).

    At noon it stands in the south (z), in the morning in the east (x).
    """
    turn = math.radians(15 * (hour - 12))
    south = math.cos(turn) * math.cos(DECLINATION) * math.sin(LATITUDE) - math.sin(DECLINATION) * math.cos(LATITUDE)
    east = -math.sin(turn) * math.cos(DECLINATION)
    up = math.sin(LATITUDE) * math.sin(DECLINATION) + math.cos(LATITUDE) * math.cos(DECLINATION) * math.cos(turn)
    return (east, up, south), math.asin(min(max(up, -1.0), 1.0))


def air_mass(height: float) -> float:
    """How many times as much air as straight up lies before a body at a height in radians (Kasten and Young 1989)."""
    degrees = max(math.degrees(height), -0.5)
    return 1 / (math.sin(math.radians(degrees)) + 0.50572 * math.pow(degrees + 6.07995, -1.6364))


def daylight(hour: float) -> Lighting:
    """A clear sky at an hour: the sun through the air, a sky that is blue above and glows where the sun is low."""
    towards, height = sun_at(hour)
    seen = _step(math.radians(-0.8), math.radians(1.5), height)
    thick = air_mass(max(height, 0.0))
    sun = tuple(SUN * math.exp(-(depth + HAZE) * thick) * seen for depth in RAYLEIGH)
    day = _step(math.radians(-9), math.radians(18), height)
    low = _step(math.radians(-9), 0.0, height) * (1 - _step(math.radians(2), math.radians(20), height))
    up = [night + blue * day for night, blue in zip(MOONLESS, BLUE, strict=True)]
    pale = [0.55 * blue + 0.45 * sum(BLUE) / 3 * 1.7 for blue in BLUE]
    side = [night + p * day + 0.55 * g * low for night, p, g in zip(MOONLESS, pale, GLOW, strict=True)]
    return Lighting(towards, _triple(sun), _triple(up), _triple(side), _ground(up, side, sun, towards[1]))


def overcast(strength: float = 1.0) -> Lighting:
    """The overcast sky of the CIE (Moon and Spencer 1942): three times as bright straight up as at its edge; no sun."""
    up = _triple([strength] * 3)
    side = _triple([strength / 3] * 3)
    return Lighting((0.0, 1.0, 0.0), (0.0, 0.0, 0.0), up, side, _ground(up, side, (0.0, 0.0, 0.0), 0.0))


def night() -> Lighting:
    """No sun, hardly any sky: what lamps give."""
    return Lighting((0.0, 1.0, 0.0), (0.0, 0.0, 0.0), MOONLESS, MOONLESS, _ground(MOONLESS, MOONLESS, (0.0,) * 3, 0.0))


def constant(value: float) -> Lighting:
    """The same from everywhere: a white surface of any kind gives just that (the white furnace)."""
    same = _triple([value] * 3)
    return Lighting((0.0, 1.0, 0.0), (0.0, 0.0, 0.0), same, same, same)


def _ground(up: Sequence[float], side: Sequence[float], sun: Sequence[float], height: float) -> Triple:
    """Light that comes back from a level ground."""
    falls = [0.5 * u + 0.5 * s + c * max(height, 0.0) for u, s, c in zip(up, side, sun, strict=True)]
    return _triple([EARTH * each for each in falls])


def _step(low: float, high: float, value: float) -> float:
    share = float(np.clip((value - low) / (high - low), 0, 1))
    return share * share * (3 - 2 * share)


def _triple(values: Iterable[float]) -> Triple:
    red, green, blue = (float(each) for each in values)
    return red, green, blue
