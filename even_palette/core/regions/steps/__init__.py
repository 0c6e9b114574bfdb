"""The kinds of steps: every module of this package that declares a STEP. Adding a step is adding a file."""

from even_palette.core.declared import declared
from even_palette.core.regions.steps._declare import Group, Join, StepKind, StepValue, joined, strengthened

STEPS: dict[str, StepKind] = {
    step.name: step
    for step in sorted(
        declared(__name__, __path__, "STEP"), key=lambda step: (list(Group).index(step.group), step.place, step.name)
    )
}

__all__ = ["STEPS", "Group", "Join", "StepKind", "StepValue", "joined", "strengthened"]
