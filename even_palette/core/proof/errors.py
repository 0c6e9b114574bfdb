"""How far what a runtime shows is from what is meant: colours as people see them, angles of normals, percent."""

from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.colour.ciede2000 import ciede2000
from even_palette.core.colour.cielab import linear_to_cielab
from even_palette.core.colour.oklab import linear_to_oklab


class Measure(StrEnum):
    """In what an error is told."""

    CIEDE2000 = "ΔE00"
    ANGLE = "°"
    PERCENT = "%"


@dataclass(frozen=True)
class Spread:
    """Of errors: the mean, what 95 and 99.9 of a hundred do not exceed, and the worst; and where that is, as uv."""

    mean: float
    most: float
    nearly_all: float
    worst: float
    place: tuple[float, float]


def spread_of(errors: Samples, uv: Floats) -> Spread:
    """The spread of errors (n,) at places (n, 2)."""
    if not errors.size:
        return Spread(0.0, 0.0, 0.0, 0.0, (0.5, 0.5))
    most, nearly_all = np.percentile(errors, (95, 99.9))
    at = int(np.argmax(errors))
    place = float(uv[at, 0]), float(uv[at, 1])
    return Spread(float(errors.mean()), float(most), float(nearly_all), float(errors[at]), place)


def colour_errors(meant: Floats, shown: Floats) -> tuple[Samples, Samples]:
    """CIEDE2000, and OKLab distance x 100, of linear colours (n, 3) each; what is brighter counts as white."""
    one, other = (float32(np.clip(part, 0, 1)) for part in (meant, shown))
    seen = ciede2000(linear_to_cielab(one), linear_to_cielab(other))
    apart = np.sqrt(np.square(linear_to_oklab(one) - linear_to_oklab(other)).sum(axis=-1))
    return np.asarray(seen), np.asarray(apart) * 100


def angle_errors(meant: Floats, shown: Floats) -> Samples:
    """Degrees between normals (n, 3) as they are stored, (n + 1) / 2."""
    one, other = (part.astype(np.float64) * 2 - 1 for part in (meant, shown))
    lengths = np.linalg.norm(one, axis=-1) * np.linalg.norm(other, axis=-1)
    cosine = (one * other).sum(axis=-1) / np.maximum(lengths, 1e-9)
    return np.asarray(np.degrees(np.arccos(np.clip(cosine, -1, 1))))


def number_errors(meant: Floats, shown: Floats) -> Samples:
    """Percent of the range 0..1, (n,)."""
    return np.abs(np.clip(meant, 0, 1).astype(np.float64) - np.clip(shown, 0, 1)) * 100
