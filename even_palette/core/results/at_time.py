"""A picture at a time: its clock, and parameters that variants move."""

from dataclasses import replace

from even_palette.core.kit.model import Focus
from even_palette.core.material.build import linear_setting
from even_palette.core.material.variants import resolve, tracks_of
from even_palette.core.results.looks import Look
from even_palette.core.results.pictures import Picture

OTHER = "Other_"
"""Before the inputs of the other variant of a look that shows a difference."""


def at_time(at: Focus, look: Look, shown: Picture, time: float, seed: float) -> Picture:
    """A picture of a look at a time in seconds, as an instance of that seed has it."""
    inputs = dict(shown.inputs)
    for variant, before in ((look.variant, ""), (look.other, OTHER)):
        there = variant in at.kit.variant_names
        moving = tracks_of(at.kit.variants, variant) if there else {}
        if moving and time:
            settings = resolve(at.kit.parameters, at.kit.variants, variant, time)
            now = {before + key: linear_setting(settings[key]) for key in moving if key in settings}
            inputs.update({name: value for name, value in now.items() if name in inputs})
    return replace(shown, inputs=inputs, time=time, seed=seed)
