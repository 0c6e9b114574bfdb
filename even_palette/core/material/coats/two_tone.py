"""Two-tone: two colours along a plane or the tone of the paint."""

from collections.abc import Mapping

from even_palette.core.graph import nodes
from even_palette.core.graph.nodes import Node
from even_palette.core.material.colour_nodes import encode, luminance
from even_palette.core.material.declare import CoatInputs, CoatKind, Group, PlaneSpec, ValueSpec
from even_palette.core.material.model import ValueKind
from even_palette.core.material.outputs import COLOUR


def formula(inputs: CoatInputs) -> Mapping[str, Node]:
    """mix(T1, T2, p), p being a plane or the encoded luminance of U; on paint: U times that."""
    position = inputs.planes.get("plane") if inputs.choices["from"] == "plane" else encode(luminance(inputs.colour))
    if position is None:
        return {}
    mixed = nodes.mix(inputs.values["first"], inputs.values["second"], nodes.clamp(position))
    return {COLOUR: inputs.colour * mixed if inputs.choices["over"] == "paint" else mixed}


COAT = CoatKind(
    name="two_tone",
    label="Two-tone",
    help="Puts on two colours along a plane, or from the darks to the lights of the paint.",
    values=(
        ValueSpec("first", "First colour", ValueKind.COLOUR, (0.15, 0.15, 0.15), "The colour where the plane is 0."),
        ValueSpec("second", "Second colour", ValueKind.COLOUR, (0.85, 0.85, 0.85), "The colour where the plane is 1."),
        ValueSpec(
            "from", "Between them", ValueKind.CHOICE, "tone", "What leads from the first colour to the second.",
            choices=(("tone", "Tone of the paint"), ("plane", "A plane")),
        ),
        ValueSpec(
            "over", "The paint", ValueKind.CHOICE, "replace", "Whether the mix replaces the paint or tints it.",
            choices=(("replace", "Is replaced"), ("paint", "Is tinted")),
        ),
    ),
    formula=formula,
    group=Group.COLOUR,
    place=5,
    shown={"first": (0.2, 0.25, 0.45), "second": (0.95, 0.8, 0.55)},
    planes=(
        PlaneSpec("plane", "Plane", "0 gives the first colour, 1 the second.", bakes=("along", "random"),
                  tones=("neutral",), when=("from", ("plane",))),
    ),
)  # fmt: skip
