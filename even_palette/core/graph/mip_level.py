"""The mip level that fits what a pixel covers, worked out by the formula, so that every back end chooses the same."""

from even_palette.core.graph import nodes
from even_palette.core.graph.nodes import Node


def fitting_level(steps: tuple[Node, Node], size: tuple[int, int]) -> Node:
    """log2 of the longer step in texels, 0 where that is less than one (OpenGL 4.6, section 8.14.1).

    `steps` are how far a place goes in a pixel to the right and down, in widths and heights of a plane of this size.
    Samplers work it out for themselves as well, but many of them with a few bits.
    """
    texels = nodes.constant(*map(float, size))
    longer = nodes.maximum(nodes.length(steps[0] * texels), nodes.length(steps[1] * texels))
    return nodes.log2(nodes.maximum(longer, 1))
