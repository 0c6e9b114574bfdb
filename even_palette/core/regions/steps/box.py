"""Box: a rectangle of the sheet joins the mask."""

from even_palette.core.arrays import Floats, float32
from even_palette.core.regions.steps._declare import Group, StepKind, StepValue, Values


def box(uv: Floats, values: Values) -> Floats:
    """1 at places (h, w, 2) in uv that lie within, 0 beside it."""
    u, v = uv[..., 0] * 100, uv[..., 1] * 100
    inside = (u >= values["left"]) & (u < values["right"]) & (v >= values["top"]) & (v < values["bottom"])
    return float32(inside)


STEP = StepKind(
    "box",
    "Box",
    "A rectangle of the sheet joins the mask.",
    (
        StepValue("left", "Left", 25.0, 0.0, 100.0, "Where it begins, from the left of the sheet.", "%"),
        StepValue("top", "Top", 25.0, 0.0, 100.0, "Where it begins, from the top of the sheet.", "%"),
        StepValue("right", "Right", 75.0, 0.0, 100.0, "Where it ends, from the left of the sheet.", "%"),
        StepValue("bottom", "Bottom", 75.0, 0.0, 100.0, "Where it ends, from the top of the sheet.", "%"),
    ),
    of_place=box,
    group=Group.HAND,
    place=2,
)
