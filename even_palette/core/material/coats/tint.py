"""Tint: the paint multiplied by a colour."""

from even_palette.core.graph.nodes import Node
from even_palette.core.material.colour_nodes import luminance
from even_palette.core.material.declare import CoatInputs, CoatKind, ValueSpec
from even_palette.core.material.model import ValueKind


def formula(inputs: CoatInputs) -> Node:
    """plain: B T. channel: B T / mean(B). luminance: Y(B) T / Y(mean(B)), the paint's own hue taken out first.

    In both true modes the region's weighted mean is T where nothing clips.
    """
    base, mean, colour = inputs.base, inputs.mean, inputs.values["colour"]
    match inputs.choices["mode"]:
        case "channel":
            return base / mean * colour
        case "luminance":
            return luminance(base) / luminance(mean) * colour
        case _:
            return base * colour


COAT = CoatKind(
    name="tint",
    label="Tint",
    help="Multiplies the paint by a colour, so that its light and dark stay.",
    values=(
        ValueSpec("colour", "Colour", ValueKind.COLOUR, (1.0, 1.0, 1.0), "The colour that the paint is multiplied by."),
        ValueSpec(
            "mode",
            "Mean",
            ValueKind.CHOICE,
            "plain",
            "Plain multiplies as it is; the true modes first divide by the region's mean, so that the region "
            "averages to exactly the chosen colour.",
            choices=(
                ("plain", "Plain"),
                ("luminance", "True, by luminance"),
                ("channel", "True, per channel"),
            ),
        ),
    ),
    formula=formula,
)
