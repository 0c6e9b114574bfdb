"""What lies behind a sheet that shines through, where it is seen by itself."""

from dataclasses import replace
from enum import StrEnum

from even_palette.core.arrays import float32
from even_palette.core.colour.srgb import srgb_to_linear
from even_palette.core.graph import nodes
from even_palette.core.graph.nodes import Node
from even_palette.core.graph.types import Type
from even_palette.core.material.colour_nodes import encode
from even_palette.core.material.outputs import ALPHA
from even_palette.core.results.pictures import SHOWN, Picture

CHECK_PX = 10
CHECK_GREYS = 0.34, 0.46
"""The greys of the checker, encoded."""
GREY = 0.5


class Behind(StrEnum):
    """What lies behind."""

    CHECKER = "checker"
    GREY = "grey"
    PAINT = "paint"


def over(shown: Picture, behind: Behind = Behind.CHECKER) -> Picture:
    """A picture over what lies behind it, mixed in linear light; one that hides all that stays as it is.

    The paint is the base colour as it was painted, whatever its alpha.
    """
    if ALPHA not in shown.outputs or shown.light is None:
        return shown
    mixed = nodes.mix(_behind(shown, behind), nodes.clamp(shown.light), shown.outputs[ALPHA])
    return replace(shown, outputs={SHOWN: encode(mixed)}, light=mixed)


def _behind(shown: Picture, behind: Behind) -> Node:
    """Linear light, a vec3."""
    if behind == Behind.PAINT and shown.paint is not None:
        return shown.paint
    if behind == Behind.CHECKER:
        dark, bright = map(_linear, CHECK_GREYS)
        across, down = nodes.channels(nodes.floor(nodes.screen() / CHECK_PX))
        return nodes.splat(nodes.select(nodes.fract((across + down) / 2) * 2, bright, dark), Type.VEC3)
    return nodes.splat(nodes.constant(_linear(GREY)), Type.VEC3)


def _linear(encoded: float) -> float:
    return float(srgb_to_linear(float32(encoded)))
