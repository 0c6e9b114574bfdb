"""The material as the runtime has it: under the conditions of its sheet, or the difference to what is meant."""

from dataclasses import replace

from even_palette.core.graph import nodes
from even_palette.core.graph.nodes import Node
from even_palette.core.graph.program import LOOK_UPS
from even_palette.core.graph.walks import replaced
from even_palette.core.kit.model import Focus
from even_palette.core.material.colour_nodes import encode, to_oklab
from even_palette.core.material.outputs import COLOUR
from even_palette.core.results.far import CLOSE, Seen, from_afar, inputs_from
from even_palette.core.results.looks._declare import Chosen, Look, LookKind, Offered
from even_palette.core.results.pictures import SHOWN, Picture
from even_palette.core.results.proof import Shipped, shipped, under
from even_palette.core.results.store import Store

GAINS = (1, 4, 16, 64)
"""How many times a difference is shown, by the number of the look's step."""
FROM_AFAR = ("runtime", "shimmer")
"""The looks that have a distance."""
MEANT, AS_MEANT = "Meant_", "meant"
"""Before the slots of what is meant, and what a look's map says where that alone is seen."""


def picture(at: Focus, store: Store, look: Look) -> Picture:
    """The colour under the conditions, or as it is meant; with steps the OKLab distance of both, 1 being white, times a
    gain. From a distance, pixels are shown as squares of so many texels.
    """
    meant = shipped(at, store)
    shown = meant if look.map == AS_MEANT else under(at.sheet.conditions, meant, store)
    inputs = {**shown.inputs(at, look.variant), **inputs_from(shown.finest, Seen(look.distance, look.slant))}
    if not look.steps:
        outputs = _seen_from(shown, look)
        others = {name: node for name, node in outputs.items() if name != COLOUR}
        seen = {SHOWN: encode(nodes.clamp(outputs[COLOUR])), **others}
        return Picture(seen, shown.slots, inputs, light=outputs[COLOUR], paint=shown.material.base)
    colour, other = (_seen_from(each, look)[COLOUR] for each in (shown, meant))
    for op in LOOK_UPS:
        (other,) = replaced([other], op, _of_meant)
    gain = float(GAINS[min(look.steps, len(GAINS)) - 1])
    apart = nodes.length(to_oklab(nodes.clamp(colour)) - to_oklab(nodes.clamp(other))) * gain
    slots = {**shown.slots, **{MEANT + name: slot for name, slot in meant.slots.items()}}
    return Picture({SHOWN: nodes.join(apart, apart, apart)}, slots, inputs, compares=True)


def _seen_from(found: Shipped, look: Look) -> dict[str, Node]:
    seen = Seen(look.distance, look.slant)
    if seen == CLOSE:
        return dict(found.outputs)
    far = from_afar(list(found.outputs.values()), found.slots, found.finest, seen)
    return dict(zip(found.outputs, far, strict=True))


def _of_meant(look_up: Node) -> Node:
    name, *more = look_up.payload
    return nodes.make(look_up.op, look_up.type, look_up.args, (f"{MEANT}{name}", *more))


def offered(at: Focus, chosen: Chosen) -> Offered:
    """As the runtime has it, and the difference by its gains; and what is seen already, from its distance, of whichever
    variant: rows of tables and findings go to others. From there, as it is meant and as the runtime has it, too, so
    that a wipe compares them.
    """
    names = at.kit.variant_names
    found = {Look("runtime", chosen.variant): f"As the runtime has it · {names[chosen.variant]}"}
    for number, gain in enumerate(GAINS, 1):
        found[Look("runtime", chosen.variant, steps=number)] = f"Off by, × {gain} · {names[chosen.variant]}"
    for look in chosen.looks:
        if look.kind not in FROM_AFAR or look.variant not in names:
            continue
        plain = Look("runtime", look.variant, distance=look.distance, slant=look.slant)
        far = [replace(plain, map=AS_MEANT), plain] if told_from(look) else []
        for each in (*([look] if look.kind == "runtime" else []), *far):
            told = "As meant" if each.map == AS_MEANT else "Runtime"
            told = f"Off by, × {GAINS[each.steps - 1]}" if each.steps else told
            found.setdefault(each, f"{told}{told_from(each)} · {names[each.variant]}")
    return [(name, look) for look, name in found.items()]


def told_from(look: Look) -> str:
    """From where it is seen; nothing from close by."""
    if look.distance * look.slant == 1:
        return ""
    texels = f"{look.distance} × {look.distance * look.slant}" if look.slant > 1 else f"{look.distance}"
    return f", {texels} texels a pixel"


def is_colour(at: Focus, look: Look) -> bool:
    """A difference is a number."""
    return not look.steps


LOOK = LookKind("runtime", 2, picture, offered, lambda look, chosen: replace(look, variant=chosen.variant), is_colour)
