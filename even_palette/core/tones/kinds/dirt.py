"""Dirt: what differs from a region's paint in the picture itself: grime, rust, bare wood where paint is worn off."""

import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.colour.oklab import linear_to_oklab
from even_palette.core.colour.srgb import srgb_to_linear
from even_palette.core.settings import Settings, SettingSpec
from even_palette.core.tones.kinds._declare import ToneGround, ToneKind, number

ROWS = 256
MOST_LOOKED_AT = 1 << 18
"""Texels of a region by which its paint is known."""
OWN = 0.5
"""The weight from which a texel counts as a region's own."""
LEAST_LIGHT = 0.02
DARK = 0.15
"""The lightness below which colours are told less and less: few levels make them there."""


def make(ground: ToneGround, settings: Settings) -> Samples:
    """Where paint differs from its region's, 0 to 1, (H, W, 1).

    Light that falls on paint scales its linear colour, and OKLab is homogeneous (of degree 1/3; Ottosson 2020), so
    a / L and b / L of a paint are the same in light and shade. Their medians over a region are its paint; the distance
    from these, at the lightness of the paint, goes through a smoothstep. Regions are mixed by their weights.
    """
    lightness, ratios = _parts(ground)
    found = np.zeros(lightness.shape, np.float32)
    for share, region in enumerate(ground.regions):
        ground.progress(share / len(ground.regions), "Finding dirt")
        if ground.cancel:
            ground.cancel.check()
        own = {**settings, **ground.own.get(region, {})}
        weight = ground.weight(region)
        rows, columns = np.flatnonzero(weight.any(axis=1)), np.flatnonzero(weight.any(axis=0))
        if not len(rows):
            continue
        box = slice(rows[0], rows[-1] + 1), slice(columns[0], columns[-1] + 1)
        apart = _apart(lightness[box], ratios[box], weight[box], number(own, "lightness"))
        low, high = number(own, "from"), max(number(own, "to"), number(own, "from") + 1e-4)
        t = np.clip((apart - low) / (high - low), 0, 1)
        found[box] += weight[box] * t * t * (3 - 2 * t)
    if number(settings, "soften") > 0:
        from scipy.ndimage import gaussian_filter

        found = gaussian_filter(found, number(settings, "soften"), mode="nearest")
    return ground.like_source(float32(found)[..., None])


def _parts(ground: ToneGround) -> tuple[Floats, Floats]:
    """Lightness (H, W), and a and b by it (H, W, 2)."""
    encoded = ground.encoded()
    lightness = np.empty(encoded.shape[:2], np.float32)
    ratios = np.empty((*encoded.shape[:2], 2), np.float32)
    for first in range(0, len(encoded), ROWS):
        lab = linear_to_oklab(srgb_to_linear(encoded[first : first + ROWS]))
        lightness[first : first + ROWS] = lab[..., 0]
        ratios[first : first + ROWS] = lab[..., 1:] / np.maximum(lab[..., :1], LEAST_LIGHT)
    return lightness, ratios


def _apart(lightness: Floats, ratios: Floats, weight: Floats, counts: float) -> Floats:
    """The distance of each texel from the paint of its region, in OKLab."""
    own = np.flatnonzero(weight.ravel() > OWN)
    own = own if len(own) else np.flatnonzero(weight.ravel() > 0)
    own = own[:: max(1, len(own) // MOST_LOOKED_AT)]
    paint = np.median(ratios.reshape(-1, 2)[own], axis=0)
    light = np.median(lightness.ravel()[own])
    away = np.linalg.norm(ratios - paint, axis=-1) * light * np.minimum(lightness / DARK, 1)
    lighter = (lightness - light) * counts
    return float32(np.hypot(away, lighter))


TONE = ToneKind(
    "dirt",
    "Dirt",
    "Where the paint differs from that of its region: dirt, rust, wear. More than half of a region must be clean.",
    5,
    make,
    (
        SettingSpec("from", "From", 0.04, "A difference of colour up to which paint is clean; 0.02 is just seen.",
                    0, 0.3),
        SettingSpec("to", "To", 0.1, "A difference of colour from which it is all dirt.", 0.01, 0.5),
        SettingSpec("lightness", "Lightness", 0.0, "How much a difference of lightness counts; shading is one.", 0, 1),
        SettingSpec("soften", "Soften", 1.0, "Blurs what is found, so that single texels do not stand out.", 0, 16,
                  unit="tx"),
    ),
    by_region=True,
)  # fmt: skip
