"""YIQ of encoded colours: the axes of analogue television."""

from even_palette.core.colour import yiq
from even_palette.core.graph.nodes import Node, channels, clamp, join, matrix, sqrt
from even_palette.core.material.colour_nodes import decode, encode, turned
from even_palette.core.material.spaces._declare import Move, Space

MOST_CHROMA = 0.64
"""About the chroma of red and cyan, the most of the gamut's corners."""


def shift(linear: Node, move: Move) -> Node:
    """Hue rotation, saturation factor and brightness offset in YIQ: hue = atan2(Q, I), chroma = length(I, Q)."""
    luma_node, i, q = channels(matrix(yiq.RGB_TO_YIQ, encode(linear)))
    stretch = move.stretch(lambda: sqrt(i * i + q * q) / MOST_CHROMA)
    shifted = join(move.lightness(luma_node), *turned(i, q, move.turn, stretch))
    return decode(clamp(matrix(yiq.YIQ_TO_RGB, shifted)))


SPACE = Space("yiq", "YIQ", 2, "YIQ keeps luma", shift)
