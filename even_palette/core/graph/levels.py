"""The mips that fit what a pixel covers, chosen by the formula, so that every back end chooses the same."""

from collections.abc import Callable

from even_palette.core.graph import nodes
from even_palette.core.graph.nodes import Node
from even_palette.core.raster.mips import level_count


def between_levels(
    sampled: Callable[[Node], Node], steps: tuple[Node, Node], size: tuple[int, int], whole: bool = False
) -> Node:
    """What is sampled of the two mip levels that fit, mixed; or of the nearer one alone where levels stay `whole`.

    `sampled` gives that of one level; `steps` are how far the place goes in a pixel to the right and down, in widths
    and heights of a plane of this size. The level is log2 of the longer step in texels (OpenGL 4.6, section 8.14.1).
    """
    texels, last = nodes.constant(*map(float, size)), level_count(size[1], size[0]) - 1
    longer = nodes.maximum(nodes.length(steps[0] * texels), nodes.length(steps[1] * texels))
    level = nodes.clamp(nodes.log2(longer), 0, last)
    if whole:
        return sampled(nodes.floor(level + 0.5))
    low = nodes.floor(level)
    return nodes.mix(sampled(low), sampled(nodes.minimum(low + 1, last)), level - low)
