"""Glow: light that the region gives."""

from collections.abc import Mapping
from dataclasses import replace
from math import tau

from even_palette.core.graph import nodes
from even_palette.core.graph.nodes import Node
from even_palette.core.material.chance import DRAW
from even_palette.core.material.declare import CoatInputs, CoatKind, Group, PlaneSpec, Reads, ValueSpec
from even_palette.core.material.model import ValueKind
from even_palette.core.raster.guess import Role


def formula(inputs: CoatInputs) -> Mapping[str, Node]:
    """emission + T * plane * intensity * pulse; T is a colour, two of them along a plane, a plane of colour, or the
    colour under the coat.

    The pulse is low + (high - low) (1 - cos(2 pi (rate t + phase))) / 2; the phase is one for all, or the instance's.
    """
    values = inputs.values
    match inputs.choices["colours"]:
        case "two":
            second = inputs.planes.get("second", nodes.constant(0.0))
            colour = nodes.mix(values["colour"], values["other"], nodes.clamp(second))
        case "plane":
            colour = inputs.colours.get("colours", nodes.constant(0.0, 0.0, 0.0))
        case "own":
            colour = inputs.colour
        case _:
            colour = values["colour"]
    intensity = values["intensity"]
    if inputs.choices["pulse"] != "steady":
        phase = values["phase"]
        if inputs.choices["pulse"] == "apart":
            phase = phase + inputs.draw("pulse")
        turn = nodes.fract(values["rate"] * nodes.time() + phase)
        share = (1 - nodes.cos(turn * tau)) / 2
        intensity = intensity * nodes.mix(values["low"], values["high"], share)
    mask = inputs.planes.get("mask", nodes.constant(1.0))
    return {"emission": inputs.output("emission") + colour * (mask * intensity)}


PULSING = ("pulse", ("together", "apart"))

COAT = CoatKind(
    name="glow",
    label="Glow",
    help="Makes a region give light: a colour, where a plane says, as strong as you like.",
    values=(
        ValueSpec("colour", "Light", ValueKind.COLOUR, (1.0, 0.85, 0.5), "The colour of the light.",
                  when=("colours", ("one", "two"))),
        ValueSpec("other", "Second light", ValueKind.COLOUR, (1.0, 0.3, 0.1), "The light where the second plane is 1.",
                  when=("colours", ("two",))),
        ValueSpec("intensity", "Intensity", ValueKind.NUMBER, 1.0, "Factor on the light; above 1 it blooms.", 0.0, 20.0,
                  "×"),
        ValueSpec(
            "colours", "Colours", ValueKind.CHOICE, "one", "Where the colour of the light comes from.",
            choices=(("one", "One colour"), ("two", "Two colours"), ("plane", "A plane of colour"),
                     ("own", "The region's own colour")),
        ),
        ValueSpec(
            "pulse", "Pulse", ValueKind.CHOICE, "steady", "Whether the light comes and goes with time.",
            choices=(("steady", "Steady"), ("together", "Comes and goes"), ("apart", "Each instance by itself")),
        ),
        ValueSpec("rate", "Rate", ValueKind.NUMBER, 0.5, "How often it comes in a second.", 0.0, 8.0, "/s",
                  when=PULSING),
        ValueSpec("low", "Lowest", ValueKind.NUMBER, 0.0, "The share of the intensity at its least.", when=PULSING),
        ValueSpec("high", "Highest", ValueKind.NUMBER, 1.0, "The share of the intensity at its most.", when=PULSING),
        ValueSpec("phase", "Phase", ValueKind.NUMBER, 0.0, "Where in its round it begins; 0 is the least.",
                  when=PULSING),
        replace(DRAW, when=("pulse", ("apart",))),
    ),
    formula=formula,
    group=Group.LIGHT,
    place=1,
    sets=("emission",),
    planes=(
        PlaneSpec("mask", "Where", "1 glows, 0 does not.", (Role.EMISSION,), needed=False),
        PlaneSpec("second", "Second", "1 gives the second light.", when=("colours", ("two",))),
        PlaneSpec("colours", "Colours", "The plane of light.", (Role.EMISSION,), reads=Reads.COLOUR,
                  when=("colours", ("plane",))),
    ),
)  # fmt: skip
