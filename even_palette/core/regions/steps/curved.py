"""Plane through a curve: a channel of a map or bake, through levels and then a curve, joins the mask."""

from even_palette.core.regions.steps._declare import Group, StepKind
from even_palette.core.regions.steps.curve import STEP as CURVE
from even_palette.core.regions.steps.curve import curve

STEP = StepKind(
    "curved",
    "Plane through a curve",
    "A channel of a map or bake, through levels and a curve with five points, joins the mask.",
    CURVE.values,
    reads_channel=True,
    through=curve,
    group=Group.PLANES,
    place=2,
)
