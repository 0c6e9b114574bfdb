"""Repaint: the paint replaced by a colour."""

from collections.abc import Mapping

from even_palette.core.graph.nodes import Node
from even_palette.core.material.declare import CoatInputs, CoatKind, Group, ValueSpec
from even_palette.core.material.model import ValueKind
from even_palette.core.material.outputs import COLOUR


def formula(inputs: CoatInputs) -> Mapping[str, Node]:
    """T: the paint under it is replaced."""
    return {COLOUR: inputs.values["colour"]}


COAT = CoatKind(
    name="repaint",
    label="Repaint",
    help="Removes the paint and puts a colour in its place.",
    values=(ValueSpec("colour", "Colour", ValueKind.COLOUR, (0.5, 0.5, 0.5), "The colour that replaces the paint."),),
    formula=formula,
    group=Group.COLOUR,
    place=2,
    shown={"colour": (0.85, 0.6, 0.2)},
)
