"""The models that the sliders can work in: three axes each, from encoded colour and back. No widgets."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from even_palette.core.arrays import Floats, float32
from even_palette.core.colour.hsv import hsv_to_rgb, rgb_to_hsv
from even_palette.core.colour.oklab import linear_to_oklab, oklab_to_linear, oklab_to_oklch, oklch_to_oklab
from even_palette.core.colour.srgb import linear_to_srgb, srgb_to_linear


@dataclass(frozen=True)
class Axis:
    """A slider: values run from 0 to `high`; hues are told in degrees whatever the number form."""

    letter: str
    name: str
    high: float = 1.0
    hue: bool = False


@dataclass(frozen=True)
class ColourModel:
    """Conversions take and give (..., 3)."""

    name: str
    axes: tuple[Axis, Axis, Axis]
    from_encoded: Callable[[Floats], Floats]
    to_encoded: Callable[[Floats], Floats]


def _to_oklch(encoded: Floats) -> Floats:
    return oklab_to_oklch(linear_to_oklab(srgb_to_linear(encoded)))


def _from_oklch(lch: Floats) -> Floats:
    return linear_to_srgb(float32(np.clip(oklab_to_linear(oklch_to_oklab(lch)), 0, 1)))


MODELS = (
    ColourModel(
        "OKLCh",
        (Axis("L", "Lightness"), Axis("C", "Chroma", 0.4), Axis("h", "Hue", hue=True)),
        _to_oklch,
        _from_oklch,
    ),
    ColourModel("RGB", (Axis("R", "Red"), Axis("G", "Green"), Axis("B", "Blue")), float32, float32),
    ColourModel(
        "HSV",
        (Axis("H", "Hue", hue=True), Axis("S", "Saturation"), Axis("V", "Value")),
        rgb_to_hsv,
        hsv_to_rgb,
    ),
)

FORMS = {"0–1": (1.0, 3), "0–255": (255.0, 1), "%": (100.0, 1)}
"""Number forms: what 1 is shown as, and decimals."""
