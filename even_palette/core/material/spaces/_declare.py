"""What a space declares in which coats turn and move colours."""

from collections.abc import Callable
from dataclasses import dataclass

from even_palette.core.graph.nodes import Node, clamp, constant, is_constant

MIDDLE = 0.5
"""The lightness that contrast leaves where it is."""
ZERO, ONE = constant(0.0), constant(1.0)


@dataclass(frozen=True)
class Move:
    """How colours are moved: whole turns of hue, a factor on chroma, what is added to the lightness, a factor on its
    distance from the middle, and how much further chroma goes the paler a colour is. As it is, nothing is moved.
    """

    turn: Node = ZERO
    saturation: Node = ONE
    brightness: Node = ZERO
    contrast: Node = ONE
    vibrance: Node = ZERO

    def lightness(self, old: Node) -> Node:
        """The lightness after contrast and brightness; hue and chroma do not hang on it."""
        if not is_constant(self.contrast, 1):
            old = old + (old - MIDDLE) * (self.contrast - 1)
        return old + self.brightness

    def stretch(self, chroma: Callable[[], Node]) -> Node:
        """The factor on a chroma that is a share 0..1 of about the most there is: s (1 + v (1 - chroma))."""
        if is_constant(self.vibrance, 0):
            return self.saturation
        return self.saturation * (1 + self.vibrance * (1 - clamp(chroma())))


@dataclass(frozen=True)
class Space:
    """A space of colours. `shift` takes linear light and gives it moved; a move by nothing gives the paint back.

    `told` says what it is good for.
    """

    name: str
    label: str
    place: int
    told: str
    shift: Callable[[Node, Move], Node]
