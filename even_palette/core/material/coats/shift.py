"""Shift: hue, saturation and brightness of the paint moved."""

from collections.abc import Mapping

from even_palette.core.graph.nodes import Node, is_constant
from even_palette.core.material.declare import CoatInputs, CoatKind, PlaneSpec, ValueSpec
from even_palette.core.material.model import ValueKind
from even_palette.core.material.outputs import COLOUR
from even_palette.core.material.spaces import SPACES


def formula(inputs: CoatInputs) -> Mapping[str, Node]:
    """The paint shifted in the chosen space; 0 degrees, factor 1 and offset 0 give it back.

    A plane of noise n turns the hue of each texel by (2 n - 1) times a number of degrees more.
    """
    hue, saturation, brightness = (inputs.values[name] for name in ("hue", "saturation", "brightness"))
    noise, degrees = inputs.planes.get("noise"), inputs.values["noise"]
    if noise is not None and not is_constant(degrees, 0):
        hue = hue + (noise * 2 - 1) * degrees
    if is_constant(hue, 0) and is_constant(saturation, 1) and is_constant(brightness, 0):
        return {}
    return {COLOUR: SPACES[inputs.choices["space"]].shift(inputs.colour, hue / 360, saturation, brightness)}


COAT = CoatKind(
    name="shift",
    label="Shift",
    help="Turns the hue of the paint and moves its saturation and brightness.",
    values=(
        ValueSpec("hue", "Hue", ValueKind.NUMBER, 0.0, "How far the hue is turned.", -180.0, 180.0, "°"),
        ValueSpec(
            "saturation", "Saturation", ValueKind.NUMBER, 1.0, "Factor on the saturation; 0 is grey.", 0.0, 2.0, "×"
        ),
        ValueSpec("brightness", "Brightness", ValueKind.NUMBER, 0.0, "Added to the brightness.", -1.0, 1.0),
        ValueSpec(
            "noise", "Hue noise", ValueKind.NUMBER, 0.0, "How far the plane of noise turns the hue.", 0.0, 180.0, "°"
        ),
        ValueSpec(
            "space",
            "Space",
            ValueKind.CHOICE,
            "oklch",
            f"Where the shift is made: {', '.join(space.told for space in SPACES.values())}.",
            choices=tuple((space.name, space.label) for space in SPACES.values()),
        ),
    ),
    formula=formula,
    planes=(PlaneSpec("noise", "Noise", "Turns the hue: 0 back, 1 on.", bakes=("random",), needed=False),),
    before_and_after=True,
)
