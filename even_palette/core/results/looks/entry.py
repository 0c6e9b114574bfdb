"""Where an entry of a palette occurs: the paint, dimmed and grey but there."""

from even_palette.core.colour.luma import BT601
from even_palette.core.graph import nodes, slots
from even_palette.core.graph.types import Type
from even_palette.core.kit.model import Focus
from even_palette.core.material.colour_nodes import encode
from even_palette.core.raster.sampling import SHARP
from even_palette.core.results.looks._declare import Chosen, Look, LookKind, Offered
from even_palette.core.results.looks.tone import plane_of_tone
from even_palette.core.results.maps import paint_of
from even_palette.core.results.pictures import SHOWN, Picture
from even_palette.core.results.store import Store


def picture(at: Focus, store: Store, look: Look) -> Picture:
    """The paint with the entry in its colours."""
    index = plane_of_tone(at, store, look.map)
    count = at.kit.palette(at.sheet.tone(look.map).palette).size
    stored = nodes.texture("index", nodes.uv())["x"]
    here = 1 - nodes.step(0.5, nodes.absolute(nodes.floor(stored * max(1, count - 1) + 0.5) - look.entry))
    colour = encode(nodes.clamp(nodes.texture("map", nodes.uv())["xyz"]))
    dim = nodes.splat(nodes.dot(colour, nodes.constant(*BT601)) * 0.3 + 0.1, Type.VEC3)
    sampled = {"map": slots.of(paint_of(at, store)), "index": slots.of(index, SHARP)}
    return Picture({SHOWN: nodes.mix(dim, colour, here)}, sampled, {})


def offered(at: Focus, chosen: Chosen) -> Offered:
    """Those that are looked at; others are chosen in the ledge."""
    tones = {tone.key for tone in at.sheet.tones}
    seen = dict.fromkeys(look for look in chosen.looks if look.kind == "entry" and look.map in tones)
    return [(f"Entry {look.entry}", look) for look in seen]


LOOK = LookKind("entry", 13, picture, offered)
