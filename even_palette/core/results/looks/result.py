"""The material in a variant, with its surface values for a lit view."""

from even_palette.core.kit.model import Focus
from even_palette.core.material.outputs import COLOUR
from even_palette.core.results.looks._declare import Chosen, Look, LookKind, Offered
from even_palette.core.results.looks._live import live_material
from even_palette.core.results.pictures import Picture
from even_palette.core.results.store import Store


def picture(at: Focus, store: Store, look: Look) -> Picture:
    """What the variant looks like."""
    live = live_material(at, store)
    return Picture(
        live.shown, live.slots, live.inputs(at, look.variant), light=live.outputs[COLOUR], paint=live.material.base
    )


def offered(at: Focus, chosen: Chosen) -> Offered:
    """One a variant."""
    return [(f"Result · {name}", Look(variant=key)) for key, name in at.kit.variant_names.items()]


LOOK = LookKind(
    "result", 1, picture, offered, lambda look, chosen: Look(variant=chosen.variant), lambda at, look: True,
    always_ready=True,
)  # fmt: skip
