"""Settings of parameters by chance, no two sets alike."""

from collections.abc import Mapping, Sequence

import msgspec
import numpy as np

from even_palette.core.arrays import Floats, float32
from even_palette.core.colour.ciede2000 import ciede2000
from even_palette.core.colour.cielab import linear_to_cielab
from even_palette.core.colour.oklab import linear_to_oklab, oklab_to_linear, oklab_to_oklch, oklch_to_oklab
from even_palette.core.colour.srgb import linear_to_srgb, srgb_to_linear
from even_palette.core.errors import UserError
from even_palette.core.material.model import Parameter, Setting, ValueKind

MOST_TRIES = 200


class Spread(msgspec.Struct, frozen=True):
    """How far settings may go: hue in degrees to both sides, lightness and chroma in OKLCh, numbers by a share.

    Of two sets at least one colour differs by `apart` (CIEDE2000).
    """

    hue: float = 180.0
    lightness: float = 0.15
    chroma: float = 0.05
    numbers: float = 0.0
    apart: float = 5.0


def random_settings(
    parameters: Sequence[Parameter], about: Mapping[str, Setting], count: int, spread: Spread, seed: int
) -> list[dict[str, Setting]]:
    """So many sets of settings about the given ones, by key; the same seed gives the same sets.

    Raises UserError where no set that is far enough from the others is found.
    """
    random = np.random.default_rng(seed)
    found: list[dict[str, Setting]] = []
    while len(found) < count:
        for _ in range(MOST_TRIES):
            made = {p.key: _setting(p, about[p.key], spread, random) for p in parameters}
            if all(_apart(made, other) >= spread.apart for other in (about, *found)):
                found.append(made)
                break
        else:
            raise UserError(
                f"After {len(found)} variants no other is {spread.apart:g} ΔE from all of them; widen the ranges."
            )
    return found


def _setting(parameter: Parameter, about: Setting, spread: Spread, random: "np.random.Generator") -> Setting:
    if isinstance(about, tuple):
        lightness, chroma, hue = oklab_to_oklch(linear_to_oklab(srgb_to_linear(float32(about)))).tolist()
        lightness = float(np.clip(lightness + random.uniform(-1, 1) * spread.lightness, 0.02, 1))
        chroma = max(0.0, chroma + random.uniform(-1, 1) * spread.chroma)
        hue += random.uniform(-1, 1) * spread.hue / 360
        linear = oklab_to_linear(oklch_to_oklab(float32((lightness, chroma, hue))))
        red, green, blue = np.clip(linear_to_srgb(np.clip(linear, 0, 1)), 0, 1).tolist()
        return (red, green, blue)
    reach = (parameter.high - parameter.low) * spread.numbers
    number = float(np.clip(about + random.uniform(-1, 1) * reach, parameter.low, parameter.high))
    return float(round(number)) if parameter.kind in (ValueKind.SWITCH, ValueKind.ROW) else number


def _apart(one: Mapping[str, Setting], other: Mapping[str, Setting]) -> float:
    """The largest difference of a colour between two sets; infinite where there are no colours to compare."""
    colours = [(a, other[key]) for key, a in one.items() if isinstance(a, tuple)]
    if not colours:
        return float("inf")
    first, second = (linear_to_cielab(srgb_to_linear(_colours(part))) for part in zip(*colours, strict=True))
    return float(ciede2000(first, second).max())


def _colours(settings: Sequence[Setting]) -> Floats:
    return float32(list(settings))
