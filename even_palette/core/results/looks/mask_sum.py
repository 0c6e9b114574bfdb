"""The sum of all masks before overlaps are resolved: what is not claimed, and what is claimed twice."""

from even_palette.core.graph import nodes, slots
from even_palette.core.graph.nodes import Node
from even_palette.core.kit.model import Focus
from even_palette.core.results.looks._coverage import COVERED, HOLE, OVERLAP
from even_palette.core.results.looks._declare import Chosen, Look, LookKind, Offered
from even_palette.core.results.pictures import SHOWN, Picture
from even_palette.core.results.store import Store
from even_palette.core.results.weights import MOST_MASK_SUM, weights_of


def picture(at: Focus, store: Store, look: Look) -> Picture:
    """The sum in colours."""
    return Picture({SHOWN: _heat()}, {"mask_sum": slots.of(weights_of(at, store).mask_sum)}, {})


def _heat() -> Node:
    """Sum of masks: blue where a texel is not fully claimed, grey at exactly 1, orange where it is claimed twice."""
    total = nodes.texture("mask_sum", nodes.uv())["x"] * MOST_MASK_SUM
    step = 1 / 255
    grey = nodes.constant(COVERED, COVERED, COVERED)
    hole = nodes.constant(*HOLE) * (nodes.clamp(total) * 0.75 + 0.25) * nodes.step(step, total)
    under = nodes.mix(hole, grey, nodes.step(1 - step, total))
    over = nodes.mix(grey, nodes.constant(*OVERLAP), nodes.clamp((total - 1) * 2 + 0.4))
    return nodes.select(nodes.step(1 + step, total), over, under)


def offered(at: Focus, chosen: Chosen) -> Offered:
    """Where there are regions."""
    return [("Sum of masks", Look("mask_sum"))] if at.sheet.regions else []


LOOK = LookKind("mask_sum", 9, picture, offered)
