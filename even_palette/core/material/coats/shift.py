"""Shift: hue, saturation and brightness of the paint moved."""

from collections.abc import Mapping

from even_palette.core.graph.nodes import Node, is_constant
from even_palette.core.material.chance import CHANCE, move_of
from even_palette.core.material.declare import CoatInputs, CoatKind, Group, PlaneSpec, ValueSpec
from even_palette.core.material.model import ValueKind
from even_palette.core.material.outputs import COLOUR
from even_palette.core.material.spaces import SPACES, Move


def formula(inputs: CoatInputs) -> Mapping[str, Node]:
    """The paint shifted in the chosen space; 0 degrees, factor 1 and offset 0 give it back.

    A plane of noise n turns the hue of each texel by (2 n - 1) times a number of degrees more; by chance, each instance
    turns and moves it further. Contrast keeps hue and chroma, and vibrance counts more for pale paint (see `Move`).
    """
    hue, saturation, brightness, contrast, vibrance = (
        inputs.values[name] for name in ("hue", "saturation", "brightness", "contrast", "vibrance")
    )
    noise, degrees = inputs.planes.get("noise"), inputs.values["noise"]
    if noise is not None and not is_constant(degrees, 0):
        hue = hue + (noise * 2 - 1) * degrees
    if inputs.choices["chance"] == "instance":
        moved = move_of(inputs.values, inputs.draw)
        hue, saturation = hue + moved.turn * 360, saturation * moved.saturation
        brightness = brightness + moved.brightness
    nothing = ((hue, 0), (saturation, 1), (brightness, 0), (contrast, 1), (vibrance, 0))
    if all(is_constant(node, value) for node, value in nothing):
        return {}
    move = Move(hue / 360, saturation, brightness, contrast, vibrance)
    return {COLOUR: SPACES[inputs.choices["space"]].shift(inputs.colour, move)}


COAT = CoatKind(
    name="shift",
    label="Shift",
    help="Turns the hue of the paint and moves its saturation and brightness.",
    values=(
        ValueSpec("hue", "Hue", ValueKind.NUMBER, 0.0, "How far the hue is turned.", -180.0, 180.0, "°"),
        ValueSpec(
            "saturation", "Saturation", ValueKind.NUMBER, 1.0, "Factor on the saturation; 0 is grey.", 0.0, 4.0, "×"
        ),
        ValueSpec("brightness", "Brightness", ValueKind.NUMBER, 0.0, "Added to the brightness.", -1.0, 1.0),
        ValueSpec(
            "contrast",
            "Contrast",
            ValueKind.NUMBER,
            1.0,
            "Spreads light and dark about the middle; hue stays.",
            0.0,
            4.0,
            "×",
        ),
        ValueSpec(
            "vibrance",
            "Vibrance",
            ValueKind.NUMBER,
            0.0,
            "More saturation, most of it for pale paint.",
            -1.0,
            1.0,
        ),
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
        *CHANCE,
    ),
    formula=formula,
    group=Group.COLOUR,
    place=3,
    shown={"hue": 120.0},
    planes=(PlaneSpec("noise", "Noise", "Turns the hue: 0 back, 1 on.", bakes=("random",), needed=False),),
    before_and_after=True,
)
