"""Ramp: colours looked up in a ramp, by the tone of the paint, a plane, or the instance."""

from collections.abc import Mapping
from dataclasses import replace

from even_palette.core.graph import nodes
from even_palette.core.graph.nodes import Node
from even_palette.core.material.chance import DRAW, seed
from even_palette.core.material.colour_nodes import curved, encode, luminance
from even_palette.core.material.declare import CoatInputs, CoatKind, Group, PlaneSpec, Reads, ValueSpec
from even_palette.core.material.model import PlaneKind, ValueKind
from even_palette.core.material.outputs import COLOUR


def formula(inputs: CoatInputs) -> Mapping[str, Node]:
    """The ramp's colour at position^power + offset, held within 0..1.

    The position is the encoded luminance of what is under the coat, a plane, u or v, or the instance's random number.
    """
    strip = inputs.strips.get("ramp")
    if strip is None:
        return {}
    position = _position(inputs)
    if position is None:
        return {}
    at = nodes.clamp(curved(nodes.clamp(position), inputs.values["power"]) + inputs.values["offset"])
    return {COLOUR: strip.look_up(at, inputs.values["row"])}


def _position(inputs: CoatInputs) -> Node | None:
    match inputs.choices["from"]:
        case "plane":
            return inputs.planes.get("plane")
        case "across":
            return nodes.uv()["x"]
        case "down":
            return nodes.uv()["y"]
        case "seed":
            return seed()
        case "draw":
            return inputs.draw("position")
        case _:
            return encode(luminance(inputs.colour))


COAT = CoatKind(
    name="ramp",
    label="Ramp",
    help="Looks the colour up in a ramp, by the tone of the paint, a plane, or the instance.",
    values=(
        ValueSpec("offset", "Offset", ValueKind.NUMBER, 0.0, "Moves the position along the ramp.", -1.0, 1.0),
        ValueSpec("power", "Power", ValueKind.NUMBER, 1.0, "Above 1 more of the ramp's start, below 1 of its end.",
                  0.1, 8.0),
        ValueSpec("row", "Row", ValueKind.NUMBER, 0.0, "The row of the ramp, from 0.", 0.0, 255.0),
        ValueSpec(
            "from", "Position", ValueKind.CHOICE, "tone", "What says where in the ramp a texel is.",
            choices=(("tone", "Tone of the paint"), ("plane", "A plane"), ("across", "Across the sheet"),
                     ("down", "Down the sheet"), ("seed", "The instance"), ("draw", "The instance, by itself")),
        ),
        replace(DRAW, when=("from", ("draw",))),
    ),
    formula=formula,
    group=Group.LOOK_UP,
    place=1,
    planes=(
        PlaneSpec("ramp", "Ramp", "The ramp that colours are taken from.", reads=Reads.STRIP,
                  strips=(PlaneKind.RAMP, PlaneKind.PALETTE)),
        PlaneSpec("plane", "Plane", "What gives the position, where a plane does.", bakes=("along",),
                  tones=("neutral",)),
    ),
)  # fmt: skip
