"""Close gaps: cracks and notches that a disc does not fit into are filled."""

from even_palette.core.arrays import Floats
from even_palette.core.regions.steps import grow
from even_palette.core.regions.steps._declare import Group, StepKind, StepValue, Values


def reach(values: Values) -> int:
    """Texels around a tile that both discs see."""
    return 2 * grow.reach(values)


def close(mask: Floats, values: Values) -> Floats:
    """Grey closing by a disc: dilation, then erosion of what that gives."""
    radius = values["radius"]
    return grow.grow(grow.grow(mask, {"radius": radius}), {"radius": -radius})


STEP = StepKind(
    "close",
    "Close gaps",
    "Fills cracks and notches that are narrower than a disc.",
    (StepValue("radius", "Radius", 2.0, 0.0, 32.0, "Half of the widest gap that is closed.", "texels"),),
    reach,
    close,
    group=Group.CLEAN,
    place=3,
)
