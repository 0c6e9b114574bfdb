"""Tonal adjustment of paint: hue, saturation, lightness, contrast; the colour of shadows, midtones, highlights."""

from collections.abc import Mapping

import numpy as np

from even_palette.core.arrays import Floats, apply_matrix, float32
from even_palette.core.colour.hsl import hsl_to_rgb, rgb_to_hsl
from even_palette.core.colour.luma import luma
from even_palette.core.colour.oklab import linear_to_oklab, oklab_to_linear
from even_palette.core.colour.srgb import linear_to_srgb, srgb_to_linear
from even_palette.core.colour.yiq import RGB_TO_YIQ, YIQ_TO_RGB

BANDS = ("shadows", "midtones", "highlights")


def bands_of(tone: Floats, low: float, high: float) -> tuple[Floats, Floats, Floats]:
    """How much a tone (...), 0..1, belongs to shadows, midtones and highlights; smooth, and they add up to 1.

    Shadows end at `low` * 2, highlights begin at `high` - (1 - high).
    """

    def rise(start: float, end: float) -> Floats:
        t = np.clip((tone - start) / max(1e-6, end - start), 0, 1)
        return float32(t * t * (3 - 2 * t))

    shadows = 1 - rise(0.0, 2 * low)
    highlights = rise(2 * high - 1, 1.0) * (1 - shadows)
    return float32(shadows), float32(1 - shadows - highlights), float32(highlights)


def shifted(encoded: Floats, hue_turns: float, saturation: float, lightness: float, space: str) -> Floats:
    """Encoded colours (..., 3) with hue turned, saturation multiplied and lightness moved in a space; clipped."""
    if (hue_turns, saturation, lightness) == (0.0, 1.0, 0.0):
        return encoded
    if space == "hsl":
        h, s, light = np.moveaxis(rgb_to_hsl(encoded), -1, 0)
        moved = [(h + hue_turns) % 1.0, np.clip(s * saturation, 0, 1), np.clip(light + lightness, 0, 1)]
        return hsl_to_rgb(float32(np.stack(moved, axis=-1)))
    turn = 2 * np.pi * hue_turns
    across, along = float(np.cos(turn)) * saturation, float(np.sin(turn)) * saturation
    if space == "yiq":
        y, i, q = np.moveaxis(apply_matrix(RGB_TO_YIQ, encoded), -1, 0)
        back = np.stack([y + lightness, i * across - q * along, i * along + q * across], axis=-1)
        return float32(np.clip(apply_matrix(YIQ_TO_RGB, float32(back)), 0, 1))
    light, a, b = np.moveaxis(linear_to_oklab(srgb_to_linear(encoded)), -1, 0)
    back = np.stack([light + lightness, a * across - b * along, a * along + b * across], axis=-1)
    return linear_to_srgb(float32(np.clip(oklab_to_linear(float32(back)), 0, 1)))


def adjusted(encoded: Floats, values: Mapping[str, float], space: str) -> Floats:
    """Encoded colours (..., 3) adjusted: `hue` in degrees, `saturation`, `lightness`, `brightness`, `contrast`.

    Then each band is tinted: `<band>_hue` in degrees, `<band>_amount` 0..1 towards that hue in OKLab. At the identity
    of all values colours come back to rounding.
    """
    done = shifted(encoded, values["hue"] / 360, values["saturation"], values["lightness"], space)
    if (values["brightness"], values["contrast"]) != (0.0, 1.0):
        done = float32(np.clip((done - 0.5) * np.float32(values["contrast"]) + 0.5 + values["brightness"], 0, 1))
    amounts = [values[f"{band}_amount"] for band in BANDS]
    if not any(amounts):
        return done
    lab = linear_to_oklab(srgb_to_linear(done))
    for band, part in zip(BANDS, bands_of(luma(done), values["low"], values["high"]), strict=True):
        angle = 2 * np.pi * values[f"{band}_hue"] / 360
        lab[..., 1] += part * np.float32(values[f"{band}_amount"] * 0.25 * np.cos(angle))
        lab[..., 2] += part * np.float32(values[f"{band}_amount"] * 0.25 * np.sin(angle))
    return linear_to_srgb(float32(np.clip(oklab_to_linear(lab), 0, 1)))
