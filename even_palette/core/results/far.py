"""Expressions as they are seen from afar, magnified: each pixel covers several texels and is shown as a square."""

import math
from collections.abc import Mapping, Sequence

from even_palette.core.graph import nodes
from even_palette.core.graph.nodes import Node
from even_palette.core.graph.slots import Slot
from even_palette.core.graph.walks import replaced


def from_afar(roots: Sequence[Node], slots: Mapping[str, Slot], finest: tuple[int, int], distance: int) -> list[Node]:
    """The expressions at the middles of pixels that cover `distance` texels a side of the finest map, (width, height).

    Maps are sampled from the level that fits such a pixel, as they are where nothing is magnified.
    """
    across, down = (side / distance for side in finest)
    pixels = nodes.constant(across, down)
    at = (nodes.floor(nodes.uv() * pixels) + 0.5) / pixels
    step = nodes.constant(1 / across, 0.0, 0.0, 1 / down)

    def level(slot: Slot) -> Node:
        texels = max(slot.plane.width / across, slot.plane.height / down)
        return nodes.constant(max(math.log2(texels), 0.0))

    def sampled(node: Node) -> Node:
        name = str(node.payload[0])
        return nodes.texture_lod(name, node.args[0], level(slots[name]))

    def of_layer(node: Node) -> Node:
        name, number = str(node.payload[0]), float(int(node.payload[1]))
        return nodes.layer_lod(name, node.args[0], nodes.constant(number), level(slots[name]))

    found = replaced(roots, "pixel", lambda node: step)
    found = replaced(found, "sample", sampled)
    found = replaced(found, "layer", of_layer)
    return replaced(found, "uv", lambda node: at)
