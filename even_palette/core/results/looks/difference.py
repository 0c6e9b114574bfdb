"""How far the colours of two variants are from each other: OKLab distance, white from a quarter on."""

from dataclasses import replace

from even_palette.core.graph import nodes
from even_palette.core.graph.walks import replaced
from even_palette.core.kit.model import Focus
from even_palette.core.material.colour_nodes import to_oklab
from even_palette.core.material.outputs import COLOUR
from even_palette.core.results.looks._declare import Chosen, Look, LookKind, Offered
from even_palette.core.results.looks._live import live_material
from even_palette.core.results.pictures import SHOWN, Picture
from even_palette.core.results.store import Store

GAIN = 4.0


def picture(at: Focus, store: Store, look: Look) -> Picture:
    """The distance at each texel, as grey."""
    live = live_material(at, store)
    one = live.outputs[COLOUR]
    (other,) = replaced(
        [one], "parameter", lambda node: nodes.parameter(f"Other_{node.payload[0]}", node.type)
    )  # keys have no capitals, so no two names are alike
    apart = nodes.length(to_oklab(nodes.clamp(one)) - to_oklab(nodes.clamp(other))) * GAIN
    inputs = live.inputs(at, look.variant)
    inputs |= {f"Other_{name}": value for name, value in live.inputs(at, look.other).items()}
    return Picture({SHOWN: nodes.join(apart, apart, apart)}, live.slots, inputs)


def offered(at: Focus, chosen: Chosen) -> Offered:
    """From the variant that is selected to each other one."""
    names = at.kit.variant_names
    if not at.sheet.regions:
        return []
    return [
        (f"Difference · {names[chosen.variant]}, {name}", Look("difference", chosen.variant, other=key))
        for key, name in names.items()
        if key != chosen.variant
    ]


def follows(look: Look, chosen: Chosen) -> Look:
    """From a variant to itself there is none: its result is seen."""
    return Look(variant=chosen.variant) if look.other == chosen.variant else replace(look, variant=chosen.variant)


LOOK = LookKind("difference", 3, picture, offered, follows, always_ready=True)
