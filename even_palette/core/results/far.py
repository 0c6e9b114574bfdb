"""Expressions as they are seen from afar, magnified: each pixel covers several texels and is shown as a square."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from even_palette.core.graph import nodes
from even_palette.core.graph.nodes import Node
from even_palette.core.graph.slots import Slot
from even_palette.core.graph.types import Type
from even_palette.core.graph.walks import replaced
from even_palette.core.raster.pixel_footprint import covered_by


@dataclass(frozen=True)
class Seen:
    """From where a sheet is seen: a pixel covers `distance` texels of the finest map across, and down `slant` times as
    many: a surface that is seen at an angle whose sine is 1 / slant.
    """

    distance: int = 1
    slant: int = 1

    def pixel(self, finest: tuple[int, int]) -> tuple[float, float, float, float]:
        """How far uv goes in a pixel to the right and down; `finest` is the width and height of the finest map."""
        width, height = finest
        return self.distance / width, 0.0, 0.0, self.distance * self.slant / height


CLOSE = Seen()
STEPS = ("Seen_across", "Seen_down")
"""Names of how far uv goes in a pixel to the right and down; no parameter is called so."""
SHIFTS = ((-0.25, -0.25), (0.25, -0.25), (-0.25, 0.25), (0.25, 0.25))
"""In pixels: four places of a pixel, half a pixel apart, as it moves."""


def from_afar(
    roots: Sequence[Node],
    slots: Mapping[str, Slot],
    finest: tuple[int, int],
    seen: Seen,
    shift: tuple[float, float] = (0.0, 0.0),
) -> list[Node]:
    """The expressions at the middles of pixels, moved by a `shift` in pixels, of a sheet whose finest map is as large.

    Maps are sampled as they are where nothing is magnified: from the level that fits, with the probes of their filter.
    How large pixels are is an input (see `inputs_from`), so that one program serves all distances.
    """
    across, down = (nodes.parameter(name, Type.FLOAT) for name in STEPS)
    size = nodes.join(across, down)
    pixels = nodes.floor(nodes.uv() / size) + nodes.constant(0.5 + shift[0], 0.5 + shift[1])

    pixel = seen.pixel(finest)

    def mean(node: Node, look_up: Callable[[str, Node, Node], Node]) -> Node:
        """Of all probes of a look-up, given how one is taken: of a slot, at a place, from a level."""
        name = str(node.payload[0])
        plane, sampler = slots[name].plane, slots[name].sampler
        shifts = covered_by(plane.width, plane.height, pixel, sampler).shifts
        texels = size * nodes.constant(float(plane.width), float(plane.height))
        level = nodes.log2(nodes.maximum(texels["x"], texels["y"]) / len(shifts))
        if len(shifts) == 1:
            return look_up(name, node.args[0], level)
        moved = [nodes.constant(right / pixel[0], lower / pixel[3]) * size for right, lower in shifts]
        return nodes.total(look_up(name, node.args[0] + by, level) for by in moved) * (1 / len(shifts))

    def sampled(node: Node) -> Node:
        return mean(node, nodes.texture_lod)

    def of_layer(node: Node) -> Node:
        number = nodes.constant(float(int(node.payload[1])))
        return mean(node, lambda name, place, level: nodes.layer_lod(name, place, number, level))

    found = replaced(roots, "pixel", lambda node: nodes.join(across, 0.0, 0.0, down))
    found = replaced(found, "sample", sampled)
    found = replaced(found, "layer", of_layer)
    return replaced(found, "uv", lambda node: pixels * size)


def inputs_from(finest: tuple[int, int], seen: Seen) -> dict[str, float]:
    """What programs that are seen from afar are given beside what they need."""
    pixel = seen.pixel(finest)
    return dict(zip(STEPS, (pixel[0], pixel[3]), strict=True))
