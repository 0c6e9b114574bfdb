"""How a coat's colour is laid over what is under it, and in which numbers both are mixed.

Modes are those of W3C, Compositing and Blending Level 1 (2024), section 10.1, for a backdrop that hides all; *add* is
its operator *plus* (section 9.1.14), held at 1.
"""

from collections.abc import Callable
from dataclasses import dataclass

from even_palette.core.graph.nodes import Node, clamp, maximum, minimum, select, sqrt, step
from even_palette.core.material.colour_nodes import decode, encode


def _screen(under: Node, over: Node) -> Node:
    return under + over - under * over


def _hard_light(under: Node, over: Node) -> Node:
    return select(step(over, 0.5), under * (over * 2), _screen(under, over * 2 - 1))


def _soft_light(under: Node, over: Node) -> Node:
    lighter = select(step(under, 0.25), ((under * 16 - 12) * under + 4) * under, sqrt(under))
    dark = under - (1 - over * 2) * under * (1 - under)
    return select(step(over, 0.5), dark, under + (over * 2 - 1) * (lighter - under))


@dataclass(frozen=True)
class Mode:
    """A way of laying a colour over another: `laid` takes what is under it and itself, both 0..1."""

    label: str
    laid: Callable[[Node, Node], Node]


MODES = {
    "normal": Mode("Normal", lambda under, over: over),
    "add": Mode("Add", lambda under, over: clamp(under + over)),
    "multiply": Mode("Multiply", lambda under, over: under * over),
    "screen": Mode("Screen", _screen),
    "lighten": Mode("Lighten", maximum),
    "darken": Mode("Darken", minimum),
    "overlay": Mode("Overlay", lambda under, over: _hard_light(over, under)),
    "soft_light": Mode("Soft light", _soft_light),
}


@dataclass(frozen=True)
class Mixing:
    """Numbers in which colours are mixed: from linear light, and back."""

    label: str
    made: Callable[[Node], Node]
    back: Callable[[Node], Node]


def _squared(linear: Node) -> Node:
    encoded = encode(linear)
    return encoded * encoded


MIXINGS = {
    "linear": Mixing("Linear light", lambda x: x, lambda x: x),
    "encoded": Mixing("Encoded sRGB", encode, decode),
    "squares": Mixing("Squares of encoded", _squared, lambda x: decode(sqrt(x))),
}
"""Squares of encoded values stand for light where a runtime takes a root in place of the curve of sRGB."""
NORMAL_MODE, LINEAR_MIXING = "normal", "linear"
