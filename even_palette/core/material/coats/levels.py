"""Levels: black, white, gamma and contrast of the paint, set at runtime."""

from collections.abc import Mapping

from even_palette.core.graph.nodes import Node, clamp, is_constant, maximum
from even_palette.core.material.colour_nodes import curved, decode, encode
from even_palette.core.material.declare import CoatInputs, CoatKind, Group, ValueSpec
from even_palette.core.material.input_levels import LEAST_STEP
from even_palette.core.material.model import ValueKind
from even_palette.core.material.outputs import COLOUR


def formula(inputs: CoatInputs) -> Mapping[str, Node]:
    """Of encoded values e: x = ((e - black) / (white - black))^(1 / gamma), then pivot + (x - pivot) contrast.

    Without levels, gamma and contrast the paint stays as it is.
    """
    black, white, gamma, contrast, pivot = (inputs.values[spec.name] for spec in VALUES)
    stretched = not (is_constant(black, 0) and is_constant(white, 1))
    if not stretched and is_constant(gamma, 1) and is_constant(contrast, 1):
        return {}
    x = encode(clamp(inputs.colour))
    if stretched:
        x = clamp((x - black) / maximum(white - black, LEAST_STEP))
    if not is_constant(gamma, 1):
        x = curved(x, 1 / gamma)
    if not is_constant(contrast, 1):
        x = pivot + (x - pivot) * contrast
    return {COLOUR: decode(clamp(x))}


VALUES = (
    ValueSpec("black", "Black", ValueKind.NUMBER, 0.0, "The encoded value that becomes black.", 0.0, 1.0),
    ValueSpec("white", "White", ValueKind.NUMBER, 1.0, "The encoded value that becomes white.", 0.0, 1.0),
    ValueSpec("gamma", "Gamma", ValueKind.NUMBER, 1.0, "Above 1 lightens the middle, below 1 darkens it.", 0.2, 5.0),
    ValueSpec("contrast", "Contrast", ValueKind.NUMBER, 1.0, "Spreads values about the pivot.", 0.0, 4.0, "×"),
    ValueSpec("pivot", "Pivot", ValueKind.NUMBER, 0.5, "The encoded value that contrast leaves where it is.", 0.0, 1.0),
)

COAT = CoatKind(
    name="levels",
    label="Levels",
    help="Moves black and white of the paint, bends the middle, and spreads it about a pivot.",
    values=VALUES,
    formula=formula,
    group=Group.COLOUR,
    place=4,
    shown={"black": 0.15, "white": 0.7, "contrast": 1.4},
    before_and_after=True,
)
