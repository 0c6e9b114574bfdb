"""What the runtime has of the material, under the conditions of its sheet, or how far it is from what is meant."""

from dataclasses import replace

from even_palette.core.errors import UserError
from even_palette.core.graph import nodes
from even_palette.core.graph.nodes import Node
from even_palette.core.graph.program import LOOK_UPS
from even_palette.core.graph.types import Type
from even_palette.core.graph.walks import replaced
from even_palette.core.kit.model import Focus
from even_palette.core.material.colour_nodes import encode, to_oklab
from even_palette.core.material.outputs import COLOUR, LIGHT, OUTPUTS
from even_palette.core.raster.plane import Encoding
from even_palette.core.results.far import CLOSE, Seen, from_afar, inputs_from
from even_palette.core.results.looks._declare import Chosen, Look, LookKind, Offered
from even_palette.core.results.pictures import SHOWN, Picture
from even_palette.core.results.proof import Shipped, shipped, slot_text, under
from even_palette.core.results.store import Store

GAINS = (1, 4, 16, 64)
"""How many times a difference is shown, by the number of the look's step."""
FROM_AFAR = ("runtime", "shimmer")
"""The looks that have a distance."""
MEANT = "Meant_"
"""Before the slots of what is meant."""
LANES = "RGBA"


def picture(at: Focus, store: Store, look: Look) -> Picture:
    """An output, or a map, under the conditions, or as it is meant; with steps how far both are apart, times a gain.

    Light is apart by its OKLab distance, 1 being white, numbers by the distance of what is stored. From afar, pixels
    are shown as squares of so many texels. Raises UserError for what is not there.
    """
    meant = shipped(at, store)
    shown = meant if look.meant else under(at.sheet.conditions, meant, store)
    inputs = {**shown.inputs(at, look.variant), **inputs_from(shown.finest, Seen(look.distance, look.slant))}
    if is_colour(at, look):
        outputs = dict(zip(shown.outputs, _seen_from(shown, look, list(shown.outputs.values())), strict=True))
        others = {name: node for name, node in outputs.items() if name != COLOUR}
        seen = {SHOWN: encode(nodes.clamp(outputs[COLOUR])), **others}
        return Picture(seen, shown.slots, inputs, light=outputs[COLOUR], paint=shown.material.base)
    value, is_light = _value(shown, look)
    if not look.steps:
        wide = nodes.splat(value, Type.VEC3)
        return Picture({SHOWN: encode(nodes.clamp(wide)) if is_light else wide}, shown.slots, inputs)
    other, _ = _value(meant, look)
    for op in LOOK_UPS:
        (other,) = replaced([other], op, _of_meant)
    if is_light and value.type == Type.VEC3:
        apart = nodes.length(to_oklab(nodes.clamp(value)) - to_oklab(nodes.clamp(other)))
    else:
        apart = nodes.length(value - other) if value.type == Type.VEC3 else nodes.absolute(value - other)
    apart = apart * float(GAINS[min(look.steps, len(GAINS)) - 1])
    slots = {**shown.slots, **{MEANT + name: slot for name, slot in meant.slots.items()}}
    return Picture({SHOWN: nodes.join(apart, apart, apart)}, slots, inputs, compares=True)


def _value(found: Shipped, look: Look) -> tuple[Node, bool]:
    """What a look shows of a material, a float or a vec3, and whether it is linear light. Raises UserError."""
    if look.map:
        slot = found.slots.get(look.map)
        if slot is None:
            raise UserError("There is no such map any more.")
        layer, lane = divmod(max(look.lane - 1, 0), slot.plane.channels)
        if layer >= len(slot.chains):
            raise UserError("This map has no such channel.")
        uv = nodes.uv()
        texel = nodes.layer(look.map, layer, uv) if slot.is_array else nodes.texture(look.map, uv)
        whole = texel["xyz"] if slot.plane.channels > 1 else texel["x"]
        value = texel["xyzw"[lane]] if look.lane else whole
        is_light = slot.plane.encoding != Encoding.DATA and lane < 3
    else:
        output = found.outputs.get(look.output)
        if output is None:
            raise UserError(f"Nothing sets {OUTPUTS[look.output].label.lower()} on this sheet.")
        value, is_light = output, look.output in LIGHT
        if look.lane and output.type != Type.FLOAT:
            value = output["xyz"[min(look.lane, 3) - 1]]
    return _seen_from(found, look, [value])[0], is_light


def _seen_from(found: Shipped, look: Look, values: list[Node]) -> list[Node]:
    seen = Seen(look.distance, look.slant)
    return values if seen == CLOSE else from_afar(values, found.slots, found.finest, seen)


def _of_meant(look_up: Node) -> Node:
    name, *more = look_up.payload
    return nodes.make(look_up.op, look_up.type, look_up.args, (f"{MEANT}{name}", *more))


def offered(at: Focus, chosen: Chosen) -> Offered:
    """As the runtime has it, and the difference by its gains; and what is seen already, of whichever variant, from its
    distance: rows of tables and findings go to others. Of that, as it is meant and as the runtime has it, too, so that
    a wipe compares them.
    """
    names = at.kit.variant_names
    found = {Look("runtime", chosen.variant): f"As the runtime has it · {names[chosen.variant]}"}
    for number, gain in enumerate(GAINS, 1):
        found[Look("runtime", chosen.variant, steps=number)] = f"Off by, × {gain} · {names[chosen.variant]}"
    for look in chosen.looks:
        if look.kind not in FROM_AFAR or look.variant not in names:
            continue
        both = [replace(look, kind="runtime", steps=0, meant=meant) for meant in (True, False)]
        is_other = told_from(look) or _told_of(look)
        for each in (*([look] if look.kind == "runtime" else []), *(both if is_other else ())):
            told = f"Off by, × {GAINS[each.steps - 1]}" if each.steps else "As meant" if each.meant else "Runtime"
            found.setdefault(each, f"{told}{_told_of(each)}{told_from(each)} · {names[each.variant]}")
    return [(name, look) for look, name in found.items()]


def _told_of(look: Look) -> str:
    """Of what it is; nothing for colour."""
    of = slot_text(look.map) if look.map else "" if look.output == COLOUR else OUTPUTS[look.output].label.lower()
    lane = f"{LANES[(look.lane - 1) % len(LANES)]}" if look.lane else ""
    return "".join(f", {part}" for part in (of, lane) if part)


def told_from(look: Look) -> str:
    """From where it is seen; nothing from close by."""
    if look.distance * look.slant == 1:
        return ""
    texels = f"{look.distance} × {look.distance * look.slant}" if look.slant > 1 else f"{look.distance}"
    return f", {texels} texels a pixel"


def is_colour(at: Focus, look: Look) -> bool:
    """All of the colour of the material; else it is a map, or numbers."""
    return not (look.steps or look.map or look.lane) and look.output == COLOUR


LOOK = LookKind("runtime", 2, picture, offered, lambda look, chosen: replace(look, variant=chosen.variant), is_colour)
