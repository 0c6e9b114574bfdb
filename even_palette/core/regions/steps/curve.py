"""Curve: the mask through a smooth curve with five points."""

from even_palette.core.arrays import Floats
from even_palette.core.curve import POINTS, through_points
from even_palette.core.regions.steps._declare import Group, StepKind, StepValue, Values


def curve(mask: Floats, values: Values) -> Floats:
    """The mask through the curve."""
    return through_points(mask, [values[f"at_{at}"] / 100 for at in POINTS])


STEP = StepKind(
    "curve",
    "Curve",
    "Sends the mask through a smooth curve with five points.",
    tuple(
        StepValue(f"at_{at}", f"At {at} %", float(at), 0.0, 100.0, f"What {at} % of the mask becomes.", "%")
        for at in POINTS
    ),
    edit=curve,
    group=Group.SHAPE,
    place=5,
)
