"""The material in a variant, with its surface values for a lit view."""

from even_palette.core.graph import nodes
from even_palette.core.kit.model import Focus
from even_palette.core.material.colour_nodes import encode
from even_palette.core.material.outputs import COLOUR
from even_palette.core.results.looks._declare import Chosen, Look, LookKind, Offered
from even_palette.core.results.looks._live import live_material
from even_palette.core.results.pictures import SHOWN, Picture
from even_palette.core.results.store import Store


def picture(at: Focus, store: Store, look: Look) -> Picture:
    """What the variant looks like."""
    live = live_material(at, store)
    light = live.outputs.pop(COLOUR)
    shown = {SHOWN: encode(nodes.clamp(light)), **live.outputs}
    return Picture(shown, live.slots, live.inputs(at, look.variant), light=light)


def offered(at: Focus, chosen: Chosen) -> Offered:
    """One a variant."""
    return [(f"Result · {name}", Look(variant=key)) for key, name in at.kit.variant_names.items()]


LOOK = LookKind(
    "result", 1, picture, offered, lambda look, chosen: Look(variant=chosen.variant), lambda at, look: True,
    always_ready=True,
)  # fmt: skip
