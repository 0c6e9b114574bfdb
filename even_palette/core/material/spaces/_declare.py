"""What a space declares in which coats turn and move colours."""

from collections.abc import Callable
from dataclasses import dataclass

from even_palette.core.graph.nodes import Node


@dataclass(frozen=True)
class Space:
    """A space of colours. `shift` takes linear light, whole turns of hue, a factor on chroma and what is added to the
    lightness, and gives linear light; turn 0, factor 1 and 0 give the paint back. `told` says what it is good for.
    """

    name: str
    label: str
    place: int
    told: str
    shift: Callable[[Node, Node, Node, Node], Node]
