"""One channel of a map, as grey."""

from even_palette.core.errors import UserError
from even_palette.core.graph import nodes, slots
from even_palette.core.graph.types import Type
from even_palette.core.kit.model import Focus
from even_palette.core.material.colour_nodes import encode
from even_palette.core.raster.layouts import Hold
from even_palette.core.raster.plane import Encoding
from even_palette.core.results.looks._declare import Chosen, Look, LookKind, Offered
from even_palette.core.results.maps import plane_of_map
from even_palette.core.results.pictures import SHOWN, Picture
from even_palette.core.results.store import Store

ALPHA = 3


def picture(at: Focus, store: Store, look: Look) -> Picture:
    """The channel as it is stored; those of colours are filtered in linear light."""
    source = next((source for source in at.sheet.sources if source.key == look.map), None)
    if source is None:
        raise UserError("There is no such map any more.")
    plane = plane_of_map(source, store)
    if look.channel >= plane.channels:
        raise UserError(f"This map has {plane.channels} channels.")
    grey = nodes.splat(nodes.texture("map", nodes.uv())["xyzw"[look.channel]], Type.VEC3)
    if plane.encoding != Encoding.DATA and look.channel < ALPHA:
        grey = encode(nodes.clamp(grey))
    return Picture({SHOWN: grey}, {"map": slots.of(plane)}, {})


def offered(at: Focus, chosen: Chosen) -> Offered:
    """Each channel that holds something of its own, and those that are looked at."""
    found: Offered = []
    for source in at.sheet.sources:
        name = source.key.replace("_", " ")
        for channel, hold in enumerate(source.layout):
            if hold not in (Hold.NOTHING, Hold.COLOUR):
                found.append((f"Channel · {name}, {hold}", Look("channel", map=source.key, channel=channel)))
        for look in chosen.looks:
            if look.kind == "channel" and look.map == source.key and all(look != other for _, other in found):
                found.append((f"Channel · {name} {'RGBA'[look.channel]}", look))
    return found


LOOK = LookKind("channel", 6, picture, offered)
