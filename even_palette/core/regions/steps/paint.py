"""Paint: what was painted by hand lies over the mask."""

from even_palette.core.regions.steps._declare import Group, StepKind

STEP = StepKind(
    "paint", "Paint", "What was painted by hand lies over the mask.", is_paint=True, group=Group.HAND, place=1
)
