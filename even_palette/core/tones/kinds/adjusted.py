"""Adjusted: the paint itself with its tones and colours moved, undone at will."""

from even_palette.core.arrays import Samples
from even_palette.core.raster.plane import Encoding
from even_palette.core.settings import Settings, SettingSpec
from even_palette.core.tones.adjust import BANDS, adjusted
from even_palette.core.tones.kinds._declare import ToneGround, ToneKind, number


def make(ground: ToneGround, settings: Settings) -> Samples:
    """The colours adjusted, (H, W, 3)."""
    numbers = {value.name: number(settings, value.name) for value in TONE.values if not value.choices}
    return ground.like_source(adjusted(ground.encoded(), numbers, str(settings["space"])))


def _band(name: str, label: str) -> tuple[SettingSpec, SettingSpec]:
    return (
        SettingSpec(f"{name}_hue", f"{label} hue", 60.0, "The hue that they are moved to, in OKLCh.", 0, 360, unit="°"),
        SettingSpec(f"{name}_amount", f"{label} amount", 0.0, "How far they are moved to it.", 0, 1),
    )


TONE = ToneKind(
    "adjusted",
    "Adjusted",
    "The paint with hue, saturation, lightness, contrast and the colour of its shadows, midtones, highlights moved.",
    2,
    make,
    (
        SettingSpec("space", "Space", "oklch", "Where hue, saturation and lightness are moved.",
                  choices=(("oklch", "OKLCh"), ("yiq", "YIQ"), ("hsl", "HSL"))),
        SettingSpec("hue", "Hue", 0.0, "How far the hue is turned.", -180, 180, unit="°"),
        SettingSpec("saturation", "Saturation", 1.0, "Factor on the saturation; 0 is grey.", 0, 2, unit="×"),
        SettingSpec("lightness", "Lightness", 0.0, "Added to the lightness.", -1, 1),
        SettingSpec("brightness", "Brightness", 0.0, "Added to all channels.", -1, 1),
        SettingSpec("contrast", "Contrast", 1.0, "About the middle; 1 leaves it.", 0, 4),
        *(value for band in BANDS for value in _band(band, band.capitalize())),
        SettingSpec("low", "Shadows to", 0.25, "Half of the tone at which shadows have faded.", 0.05, 0.5),
        SettingSpec("high", "Lights from", 0.75, "The middle of the rise of highlights.", 0.5, 0.95),
    ),
    encoding=Encoding.SRGB,
    replaces=True,
)  # fmt: skip
