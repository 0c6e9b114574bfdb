"""Fill holes: small gaps in the mask are closed."""

from even_palette.core.arrays import Floats, float32
from even_palette.core.jobs import CancelToken
from even_palette.core.regions.steps._declare import Group, StepKind, StepValue, Values
from even_palette.core.regions.steps.specks import specks


def holes(mask: Floats, values: Values, cancel: CancelToken | None = None) -> Floats:
    """The specks of what is not in the mask, removed; a hole hangs together over the sides of texels alone."""
    return float32(1 - specks(float32(1 - mask), values, cancel, corners=False))


STEP = StepKind(
    "holes",
    "Fill holes",
    "Fills gaps that are smaller than so many texels.",
    (StepValue("texels", "Smaller than", 64.0, 1.0, 65536.0, "Holes with fewer texels are filled.", "texels"),),
    whole=holes,
    group=Group.CLEAN,
    place=2,
)
