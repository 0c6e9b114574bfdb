"""Keep to islands: nothing crosses the border of a UV island."""

from even_palette.core.regions.steps._declare import Group, StepKind

STEP = StepKind(
    "islands",
    "Keep to islands",
    "The mask stays on the UV islands that the region had before its steps, and on their padding.",
    keeps_islands=True,
    group=Group.CLEAN,
    place=5,
)
