"""A picture at a time: its clock, and parameters that variants move."""

from dataclasses import replace

from even_palette.core.kit.model import Focus
from even_palette.core.material.build import linear_setting
from even_palette.core.material.variants import moving_in, resolve
from even_palette.core.results.looks import Look
from even_palette.core.results.pictures import Picture

OTHER = "Other_"
"""Before the inputs of the other variant of a look that shows a difference."""


def at_time(at: Focus, look: Look, shown: Picture, time: float, seed: float) -> Picture:
    """A picture of a look at a time in seconds, as an instance of that seed has it."""
    inputs = dict(shown.inputs)
    for variant, before in ((look.variant, ""), (look.other, OTHER)):
        moving = moving_in(at.kit.variants, variant) if variant in at.kit.variant_names else set()
        if moving and time:
            settings = resolve(at.kit.parameters, at.kit.variants, variant, time)
            there = {before + key: linear_setting(settings[key]) for key in moving if before + key in inputs}
            inputs.update(there)
    return replace(shown, inputs=inputs, time=time, seed=seed)
