"""Painted: a grey plane of its own, painted on the sheet and on the model; it belongs to no region."""

from even_palette.core.settings import SettingSpec
from even_palette.core.tones.kinds._declare import MadeOf, ToneKind

TONE = ToneKind(
    "painted",
    "Painted",
    "Grey that you paint: stains, wear, a pattern; it lies over regions and takes nothing from them.",
    8,
    None,
    (SettingSpec("ground", "Ground", 0.0, "The value where nothing is painted."),),
    made_of=MadeOf.PAINT,
)
