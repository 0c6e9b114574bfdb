"""Mask: that of a region as a plane, grown and feathered, to be read by coats of others."""

from even_palette.core.settings import SettingSpec
from even_palette.core.tones.kinds._declare import MadeOf, ToneKind

TONE = ToneKind(
    "mask",
    "Mask of a region",
    "What a region has, grown and feathered: rims, splashes over neighbours, what keeps clear of something.",
    9,
    None,
    (
        SettingSpec("what", "What", "mask", "Its mask as its steps make it, or its share after overlaps are resolved.",
                  choices=(("mask", "Its mask"), ("weight", "Its weight"))),
        SettingSpec("grow", "Grow", 0.0, "Widens the mask, below 0 narrows it.", -64, 64, True, unit="tx"),
        SettingSpec("feather", "Feather", 0.0, "How far the edge is spread to either side.", 0, 128, unit="tx"),
    ),
    made_of=MadeOf.MASK,
)  # fmt: skip
