"""YIQ of encoded colours: the axes of analogue television."""

from even_palette.core.colour import yiq
from even_palette.core.graph.nodes import Node, channels, clamp, join, matrix
from even_palette.core.material.colour_nodes import decode, encode, turned
from even_palette.core.material.spaces._declare import Space


def shift(linear: Node, turn: Node, saturation: Node, brightness: Node) -> Node:
    """Hue rotation, saturation factor and brightness offset in YIQ: hue = atan2(Q, I), chroma = length(I, Q)."""
    luma_node, i, q = channels(matrix(yiq.RGB_TO_YIQ, encode(linear)))
    shifted = join(luma_node + brightness, *turned(i, q, turn, saturation))
    return decode(clamp(matrix(yiq.YIQ_TO_RGB, shifted)))


SPACE = Space("yiq", "YIQ", 2, "YIQ keeps luma", shift)
