"""Strands: a plane smoothed along its grain: hair, fur, brushed metal, rope, wood."""

from even_palette.core.arrays import Samples
from even_palette.core.settings import Settings, SettingSpec
from even_palette.core.tones.kinds._declare import ToneGround, ToneKind, number


def make(ground: ToneGround, settings: Settings) -> Samples:
    """All channels smoothed along one grain, as they are stored; perhaps at twice the size."""
    from even_palette.core.tones.strands import enlarged, smooth_strands

    values = ground.source.values()
    done = smooth_strands(
        values, number(settings, "radius"), number(settings, "strength"), int(number(settings, "passes")),
        settings["holds"] == "normals", ground.progress, ground.cancel,
    )  # fmt: skip
    return ground.like_source(enlarged(done) if settings["size"] == "double" else done)


TONE = ToneKind(
    "strands",
    "Strands",
    "Smoothed along the grain of hair, fur, brushed metal, rope or wood; across it nothing is lost.",
    3,
    make,
    (
        SettingSpec("radius", "Radius", 6.0, "How far along the grain is averaged: one standard deviation.", 0.5, 32,
                  unit="tx"),
        SettingSpec("strength", "Strength", 1.0, "How much of the smoothed plane is taken."),
        SettingSpec("passes", "Passes", 1.0, "How often it is smoothed; each pass follows the grain anew.", 1, 8, True),
        SettingSpec("holds", "Holds", "values", "Normals are made of length 1 again.",
                  choices=(("values", "Colours or values"), ("normals", "Normals"))),
        SettingSpec("size", "Size", "same", "Twice the size keeps lines clean.",
                  choices=(("same", "The same size"), ("double", "Twice the size"))),
    ),
    encoding=None,
    replaces=True,
    grows_by="size",
)  # fmt: skip
