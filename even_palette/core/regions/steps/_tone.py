"""What the steps that choose a range of the paint share."""

from collections.abc import Callable

import numpy as np

from even_palette.core.arrays import Floats, float32
from even_palette.core.colour.oklab import linear_to_oklab, oklab_to_oklch
from even_palette.core.regions.steps._declare import Group, StepKind, StepValue, Values


def oklch(colour: Floats) -> Floats:
    """OKLCh (..., 3) of linear RGB: lightness 0..1, chroma, hue in turns (Ottosson 2020)."""
    return oklab_to_oklch(linear_to_oklab(colour))


def band(x: Floats, low: float, high: float, soft: float) -> Floats:
    """1 within low..high, 0 from `soft` beyond them on, smooth between."""
    beyond = np.maximum(np.maximum(np.float32(low) - x, x - np.float32(high)), 0)
    if soft <= 0:
        return float32(beyond == 0)
    t = np.clip(1 - beyond / np.float32(soft), 0, 1)
    return float32(t * t * (3 - 2 * t))


def range_step(name: str, label: str, help: str, most: float, of: Callable[[Floats], Floats], place: int) -> StepKind:
    """A source that takes a range of what `of` gives of OKLCh, in percent of `most`."""

    def source(colour: Floats, values: Values) -> Floats:
        unit = most / 100
        return band(of(oklch(colour)), values["low"] * unit, values["high"] * unit, values["soft"] * unit)

    return StepKind(
        name,
        label,
        help,
        (
            StepValue("low", "From", 0.0, 0.0, 100.0, "Where the range begins.", "%"),
            StepValue("high", "To", 50.0, 0.0, 100.0, "Where the range ends.", "%"),
            StepValue("soft", "Softness", 10.0, 0.0, 100.0, "How far beyond its ends the range fades.", "%"),
        ),
        source=source,
        group=Group.PAINT,
        place=place,
    )
