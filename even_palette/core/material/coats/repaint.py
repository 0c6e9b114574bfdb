"""Repaint: the paint replaced by a colour."""

from even_palette.core.graph.nodes import Node, mix
from even_palette.core.material.declare import CoatInputs, CoatKind, ValueSpec
from even_palette.core.material.model import ValueKind


def formula(inputs: CoatInputs) -> Node:
    """mix(B, T, strength)."""
    return mix(inputs.base, inputs.values["colour"], inputs.values["strength"])


COAT = CoatKind(
    name="repaint",
    label="Repaint",
    help="Removes the paint and puts a colour in its place.",
    values=(
        ValueSpec("colour", "Colour", ValueKind.COLOUR, (0.5, 0.5, 0.5), "The colour that replaces the paint."),
        ValueSpec(
            "strength", "Strength", ValueKind.NUMBER, 1.0, "How much of the paint is replaced; 0 keeps all of it."
        ),
    ),
    formula=formula,
)
