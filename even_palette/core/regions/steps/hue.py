"""Hue range: paint of like hues joins the mask."""

import numpy as np

from even_palette.core.arrays import Floats, float32
from even_palette.core.regions.steps._declare import Group, StepKind, StepValue, Values
from even_palette.core.regions.steps._tone import band, oklch

GREY = 0.02
"""Below this chroma (OKLCh) a hue says nothing; such paint is in no hue range."""


def hue(colour: Floats, values: Values) -> Floats:
    """The band around a hue, 0 for greys; of linear RGB (..., 3)."""
    _, chroma, turns = np.moveaxis(oklch(colour), -1, 0)
    away = np.abs((turns * 360 - np.float32(values["hue"]) + 180) % 360 - 180)
    vivid = np.clip(chroma / np.float32(GREY) - 1, 0, 1)
    return float32(band(float32(away), -1.0, values["width"] / 2, values["soft"]) * vivid)


STEP = StepKind(
    "hue",
    "Hue range",
    "Paint of hues like this (OKLCh) joins the mask.",
    (
        StepValue("hue", "Hue", 30.0, 0.0, 360.0, "The middle of the range.", "°"),
        StepValue("width", "Width", 60.0, 0.0, 360.0, "How wide the range is.", "°"),
        StepValue("soft", "Softness", 15.0, 0.0, 180.0, "How far beyond its ends the range fades.", "°"),
    ),
    source=hue,
    group=Group.PAINT,
    place=1,
)
