"""OKLCh (Ottosson 2020), of linear light."""

from even_palette.core.colour import oklab
from even_palette.core.graph.nodes import Node, channels, clamp, join, matrix
from even_palette.core.material.colour_nodes import to_oklab, turned
from even_palette.core.material.spaces._declare import Space


def shift(linear: Node, turn: Node, saturation: Node, brightness: Node) -> Node:
    """The same in OKLCh; what leaves the gamut is clipped by channel."""
    lightness, a, b = channels(to_oklab(linear))
    shifted = join(lightness + brightness, *turned(a, b, turn, saturation))
    lms = matrix(oklab.LAB_TO_LMS, shifted)
    return clamp(matrix(oklab.LMS_TO_RGB, lms * lms * lms))


SPACE = Space("oklch", "OKLCh", 1, "OKLCh keeps perceived lightness", shift)
