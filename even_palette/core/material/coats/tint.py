"""Tint: the paint multiplied by a colour."""

from collections.abc import Mapping

from even_palette.core.graph import nodes
from even_palette.core.graph.nodes import Node
from even_palette.core.material.chance import CHANCE, varied
from even_palette.core.material.colour_nodes import luminance
from even_palette.core.material.declare import CoatInputs, CoatKind, Group, ValueSpec
from even_palette.core.material.model import ValueKind
from even_palette.core.material.outputs import COLOUR

LEAST_MEAN = 1 / 512
"""Linear light (level 6 of 255 in sRGB) below which a mean counts as this: traces of paint are no paint to lift."""


def formula(inputs: CoatInputs) -> Mapping[str, Node]:
    """plain: U T. channel: U T / mean(U). luminance: Y(U) T / Y(mean(U)), the paint's own hue taken out first.

    By chance, T is moved in OKLCh for each instance. In both true modes the region's weighted mean is T where nothing
    clips and the mean is not next to black.
    """
    under, mean = inputs.colour, inputs.mean
    colour = varied(inputs.values["colour"], inputs.choices, inputs.values, inputs.draw)
    match inputs.choices["mode"]:
        case "channel":
            return {COLOUR: under / nodes.maximum(mean, LEAST_MEAN) * colour}
        case "luminance":
            return {COLOUR: luminance(under) / nodes.maximum(luminance(mean), LEAST_MEAN) * colour}
        case _:
            return {COLOUR: under * colour}


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
        *CHANCE,
    ),
    formula=formula,
    group=Group.COLOUR,
    place=1,
    shown={"colour": (0.45, 0.75, 0.85)},
    promise=lambda choices: "" if choices.get("mode", "plain") == "plain" else "true tint",
)
