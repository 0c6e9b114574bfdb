"""Invert: what was claimed is free, what was free is claimed."""

from even_palette.core.arrays import Floats, float32
from even_palette.core.regions.steps._declare import Group, StepKind, Values


def invert(mask: Floats, values: Values) -> Floats:
    """1 - m."""
    return float32(1 - mask)


STEP = StepKind(
    "invert",
    "Invert",
    "What was claimed becomes free, what was free is claimed.",
    edit=invert,
    group=Group.SHAPE,
    place=6,
)
