"""One output beside colour, as a variant has it, seen as grey."""

from dataclasses import replace

from even_palette.core.errors import UserError
from even_palette.core.graph import nodes
from even_palette.core.graph.types import Type
from even_palette.core.kit.coat_owners import coats_of, owners_on
from even_palette.core.kit.model import Focus
from even_palette.core.material.coats import COATS
from even_palette.core.material.colour_nodes import encode
from even_palette.core.material.drawn import Way
from even_palette.core.material.outputs import ALPHA, COLOUR, LIGHT, OPACITY, OUTPUTS
from even_palette.core.results.looks._declare import Chosen, Look, LookKind, Offered
from even_palette.core.results.looks._live import live_material
from even_palette.core.results.pictures import SHOWN, Picture
from even_palette.core.results.store import Store


def picture(at: Focus, store: Store, look: Look) -> Picture:
    """The output as it is."""
    live = live_material(at, store)
    value = live.outputs.get(look.output)
    if value is None:
        raise UserError(f"Nothing sets {OUTPUTS[look.output].label.lower()} on this sheet.")
    wide = value if value.type == Type.VEC3 else nodes.join(value, value, value)
    shown = encode(nodes.clamp(wide)) if look.output in LIGHT else wide
    return Picture({SHOWN: shown}, live.slots, live.inputs(at, look.variant))


def surface_outputs(at: Focus) -> list[str]:
    """The outputs beside colour that the coats of a sheet may set, in order, and those that it is drawn by.

    Its maps can be looked at as they are.
    """
    found = set[str]() if at.sheet.drawing.way == Way.OPAQUE else {OPACITY, ALPHA}
    coats = [coat for owner in owners_on(at.sheet) for coat in coats_of(at.kit, owner) if coat.on]
    found.update(name for coat in coats for name in COATS[coat.kind].set_by(coat.planes))
    return [name for name in OUTPUTS if name in found and name != COLOUR]


def offered(at: Focus, chosen: Chosen) -> Offered:
    """Each output that the coats may set, in the variant that is selected."""
    if not at.sheet.regions:
        return []
    name = at.kit.variant_names[chosen.variant]
    return [
        (f"{OUTPUTS[output].label} · {name}", Look("surface", chosen.variant, output=output))
        for output in surface_outputs(at)
    ]


LOOK = LookKind(
    "surface", 2, picture, offered, lambda look, chosen: replace(look, variant=chosen.variant), always_ready=True
)
