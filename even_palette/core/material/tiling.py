"""Planes that lie over the sheet in tiles: turns, and patches that hide the repeat."""

from collections.abc import Callable

from even_palette.core.graph import nodes
from even_palette.core.graph.nodes import Node, Operand
from even_palette.core.material import colour_nodes

PRIME = 289.0
"""17 * 17: squares of whole numbers below it stay exact in float32."""
SHARED = (0.25, 0.75)
"""Between these parts of the way from one patch to the next both are seen."""


def turned(at: Node, turns: Operand) -> Node:
    """A vec2 turned by whole turns, clockwise where y runs down."""
    return nodes.join(*colour_nodes.turned(at["x"], at["y"], nodes.as_node(turns), nodes.constant(1.0)))


def scattered(place: Node) -> tuple[Node, Node, Node]:
    """Three numbers, whole ones from 0 to 288, that look random, for a vec2 of whole numbers.

    A permutation polynomial (Gustavson and McEwan, Efficient computational noise in GLSL, 2012): whole numbers that
    float32 holds exactly, so that every runtime finds the same.
    """
    first = _permuted(within(_permuted(within(place["x"])) + place["y"]))
    second = _permuted(first + 1)
    return first, second, _permuted(second + 2)


def within(x: Node, count: float = PRIME) -> Node:
    """What is left of whole numbers by a count, for those that float32 tells from their halves, up to 2^22."""
    return x - nodes.floor((x + 0.5) / count) * count


def _permuted(x: Node) -> Node:
    """For whole numbers from 0 to 290."""
    return within((x * 34 + 1) * x)


def patches(
    sampled: Callable[[Node, tuple[Node, Node]], Node],
    at: Node,
    steps: tuple[Node, Node],
    turn: bool,
    turned_back: Callable[[Node, Node], Node] = lambda value, quarters: value,
) -> Node:
    """A tiling plane without its repeat: four patches about each place, each moved (and turned by quarters) by chance.

    Their shares change smoothly and add up to 1, so there is no seam. `sampled` gives the vec4 at a place, and
    `turned_back` makes of it what it is where the patch is turned by so many quarters.
    """
    corner = nodes.floor(at)
    across, down = (nodes.smoothstep(*SHARED, nodes.fract(at)[axis]) for axis in "xy")
    found = []
    for x, y in ((0, 0), (1, 0), (0, 1), (1, 1)):
        right, below, quarter = scattered(corner + nodes.constant(float(x), float(y)))
        moved = nodes.join(right, below) / PRIME
        share = (across if x else 1 - across) * (down if y else 1 - down)
        place, ways = at, steps
        if turn:
            quarters = nodes.floor(quarter * (4 / PRIME))
            place = quarter_turned(at, quarters)
            ways = quarter_turned(steps[0], quarters), quarter_turned(steps[1], quarters)
            found.append(turned_back(sampled(place + moved, ways), quarters) * share)
        else:
            found.append(sampled(place + moved, ways) * share)
    return nodes.total(found)


def quarter_turned(at: Node, quarters: Node) -> Node:
    """A vec2 turned by 0 to 3 quarters, exactly."""
    cosine, sine = nodes.absolute(quarters - 2) - 1, 1 - nodes.absolute(quarters - 1)
    return nodes.join(at["x"] * cosine - at["y"] * sine, at["x"] * sine + at["y"] * cosine)


def opposite(quarters: Node) -> Node:
    """The quarters 0 to 3 that turn back: 0, 3, 2, 1."""
    return (4 - quarters) * nodes.step(0.5, quarters)
