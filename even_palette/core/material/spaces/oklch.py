"""OKLCh (Ottosson 2020), of linear light."""

from even_palette.core.colour import oklab
from even_palette.core.graph.nodes import Node, channels, clamp, join, matrix, sqrt
from even_palette.core.material.colour_nodes import to_oklab, turned
from even_palette.core.material.spaces._declare import Move, Space

MOST_CHROMA = 0.33
"""About the chroma of sRGB's magenta in OKLab, the most of its primaries and mixtures (Ottosson 2020)."""


def shift(linear: Node, move: Move) -> Node:
    """The same in OKLCh; what leaves the gamut is clipped by channel."""
    lightness, a, b = channels(to_oklab(linear))
    stretch = move.stretch(lambda: sqrt(a * a + b * b) / MOST_CHROMA)
    shifted = join(move.lightness(lightness), *turned(a, b, move.turn, stretch))
    lms = matrix(oklab.LAB_TO_LMS, shifted)
    return clamp(matrix(oklab.LMS_TO_RGB, lms * lms * lms))


SPACE = Space("oklch", "OKLCh", 1, "OKLCh keeps perceived lightness", shift)
