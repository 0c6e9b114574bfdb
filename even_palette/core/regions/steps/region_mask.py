"""Another region's mask joins this one."""

from even_palette.core.regions.steps._declare import Group, StepKind

STEP = StepKind(
    "region_mask",
    "Mask of a region",
    "The finished mask of another region joins this one.",
    reads_region=True,
    group=Group.MASKS,
    place=1,
)
