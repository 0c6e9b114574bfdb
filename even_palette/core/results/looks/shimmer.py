"""How much the runtime's picture changes where the sheet, or the camera, moves by parts of a pixel."""

from dataclasses import replace
from itertools import combinations

from even_palette.core.graph import nodes
from even_palette.core.kit.model import Focus
from even_palette.core.material.colour_nodes import to_oklab
from even_palette.core.material.outputs import COLOUR
from even_palette.core.results.far import SHIFTS, Seen, from_afar, inputs_from
from even_palette.core.results.looks._declare import Chosen, Look, LookKind, Offered
from even_palette.core.results.looks.runtime import GAINS, told_from
from even_palette.core.results.pictures import SHOWN, Picture
from even_palette.core.results.proof import shipped, under
from even_palette.core.results.store import Store

GAIN = 2
"""The step of the look that is offered, by GAINS."""


def picture(at: Focus, store: Store, look: Look) -> Picture:
    """The largest OKLab distance between the colours that a pixel has at SHIFTS, 1 being white, times a gain."""
    meant = shipped(at, store)
    found = meant if look.meant else under(at.sheet.conditions, meant, store)
    seen, colour = Seen(look.distance, look.slant), found.outputs[COLOUR]
    inputs = {**found.inputs(at, look.variant), **inputs_from(found.finest, seen)}
    labs = [to_oklab(nodes.clamp(from_afar([colour], found.slots, found.finest, seen, shift)[0])) for shift in SHIFTS]
    apart = nodes.constant(0.0)
    for one, other in combinations(labs, 2):
        apart = nodes.maximum(apart, nodes.length(one - other))
    apart = apart * float(GAINS[min(max(look.steps, 1), len(GAINS)) - 1])
    return Picture({SHOWN: nodes.join(apart, apart, apart)}, found.slots, inputs)


def offered(at: Focus, chosen: Chosen) -> Offered:
    """Of the variant; and what is seen already, of whichever variant and from wherever."""
    names, usual = at.kit.variant_names, Look("shimmer", chosen.variant, steps=GAIN)
    found = [(f"Shimmer, × {GAINS[GAIN - 1]} · {names[chosen.variant]}", usual)]
    for look in dict.fromkeys(chosen.looks):
        if look.kind == "shimmer" and look.variant in names and look != usual:
            found.append((f"Shimmer{told_from(look)} · {names[look.variant]}", look))
    return found


LOOK = LookKind("shimmer", 3, picture, offered, lambda look, chosen: replace(look, variant=chosen.variant))
