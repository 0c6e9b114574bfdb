"""Channel: a channel of a plane, through its levels, joins the mask."""

from even_palette.core.regions.steps._declare import Group, StepKind

STEP = StepKind(
    "channel",
    "Channel of a plane",
    "A channel of a map or bake, through levels, joins the mask.",
    reads_channel=True,
    group=Group.PLANES,
    place=1,
)
