"""What a region claims, its elements, boxes and ID colours, before any step, joins the mask."""

from even_palette.core.regions.steps._declare import Group, StepKind

STEP = StepKind(
    "region_claims",
    "Claims of a region",
    "The elements, boxes and ID colours of a region, before its steps, join the mask.",
    reads_region=True,
    claims_only=True,
    group=Group.MASKS,
    place=2,
)
