"""The material as the runtime has it: under the conditions of its sheet, or the difference to what is meant."""

from dataclasses import replace

from even_palette.core.graph import nodes
from even_palette.core.graph.program import LOOK_UPS
from even_palette.core.graph.walks import renamed_slots
from even_palette.core.kit.model import Focus
from even_palette.core.material.colour_nodes import encode, to_oklab
from even_palette.core.material.outputs import COLOUR
from even_palette.core.results.looks._declare import Chosen, Look, LookKind, Offered
from even_palette.core.results.pictures import SHOWN, Picture
from even_palette.core.results.proof import proofed, shipped
from even_palette.core.results.store import Store

GAINS = (1, 4, 16, 64)
"""How many times a difference is shown, by the number of the look's step."""
MEANT = "Meant_"


def picture(at: Focus, store: Store, look: Look) -> Picture:
    """The colour under the conditions; with steps the OKLab distance to what is meant, 1 being white, times a gain."""
    shown = proofed(at, store)
    inputs = shown.inputs(at, look.variant)
    if not look.steps:
        others = {name: node for name, node in shown.outputs.items() if name != COLOUR}
        seen = {SHOWN: encode(nodes.clamp(shown.outputs[COLOUR])), **others}
        return Picture(seen, shown.slots, inputs, light=shown.outputs[COLOUR], paint=shown.material.base)
    meant = shipped(at, store)
    (other,) = renamed_slots([meant.outputs[COLOUR]], LOOK_UPS, lambda name: MEANT + name)
    gain = float(GAINS[min(look.steps, len(GAINS)) - 1])
    apart = nodes.length(to_oklab(nodes.clamp(shown.outputs[COLOUR])) - to_oklab(nodes.clamp(other))) * gain
    slots = {**shown.slots, **{MEANT + name: slot for name, slot in meant.slots.items()}}
    return Picture({SHOWN: nodes.join(apart, apart, apart)}, slots, inputs, compares=True)


def offered(at: Focus, chosen: Chosen) -> Offered:
    """As the runtime has it, and the difference by its gains."""
    name = at.kit.variant_names[chosen.variant]
    seen = [(f"As the runtime has it · {name}", Look("runtime", chosen.variant))]
    return seen + [
        (f"Off by, × {gain} · {name}", Look("runtime", chosen.variant, steps=number))
        for number, gain in enumerate(GAINS, 1)
    ]


def is_colour(at: Focus, look: Look) -> bool:
    """A difference is a number."""
    return not look.steps


LOOK = LookKind("runtime", 2, picture, offered, lambda look, chosen: replace(look, variant=chosen.variant), is_colour)
