"""Blend: another plane of colour by a mask, or by the heights of both."""

from collections.abc import Mapping

from even_palette.core.graph import nodes
from even_palette.core.graph.nodes import Node
from even_palette.core.material.declare import (
    BLENDING,
    MIXING,
    CoatInputs,
    CoatKind,
    Group,
    PlaneSpec,
    Reads,
    ValueSpec,
)
from even_palette.core.material.mixing import MIXINGS, MODES
from even_palette.core.material.model import ValueKind
from even_palette.core.material.outputs import COLOUR
from even_palette.core.raster.guess import Role


def share(inputs: CoatInputs) -> Node:
    """How much of the other plane is seen, 0..1.

    By mask: the mask m. By height: smoothstep(-band, band, h2 - h1 + offset + (2 m - 1)(1 + band)), so that the higher
    one wins within a band of contrast, and a mask of 0 or 1 decides alone. Without a mask m is 1/2. Where the plane has
    an opacity of its own it counts as well.
    """
    return _wanted(inputs) * (inputs.alphas["colour"] if _sees_alpha(inputs) else 1.0)


def _sees_alpha(inputs: CoatInputs) -> bool:
    return inputs.choices["opacity"] == "alpha" and "colour" in inputs.alphas


def _wanted(inputs: CoatInputs) -> Node:
    mask = inputs.planes.get("mask")
    if inputs.choices["way"] == "mask":
        return nodes.constant(1.0) if mask is None else mask
    under = inputs.planes.get("under", nodes.constant(0.5))
    over = inputs.planes.get("over", nodes.constant(0.5))
    band = inputs.values["band"]
    lift = (mask * 2 - 1) * (1 + band) if mask is not None else nodes.constant(0.0)
    return nodes.smoothstep(-band, band, over - under + inputs.values["offset"] + lift)


def formula(inputs: CoatInputs) -> Mapping[str, Node]:
    """mix(U, B(U, plane * tint), share), where B is the mode that is chosen, in the numbers that are chosen."""
    colour = inputs.colours.get("colour")
    if colour is None:
        return {}
    mode, how = MODES[inputs.choices[BLENDING.name]], MIXINGS[inputs.choices[MIXING.name]]
    under, over = how.made(inputs.colour), how.made(nodes.clamp(colour * inputs.values["tint"]))
    return {COLOUR: how.back(nodes.mix(under, mode.laid(under, over), share(inputs)))}


COAT = CoatKind(
    name="blend",
    label="Blend",
    help="Lays another plane of colour over it, by a mask or by which of both is higher.",
    values=(
        ValueSpec("tint", "Tint", ValueKind.COLOUR, (1.0, 1.0, 1.0), "The colour that the plane is multiplied by."),
        ValueSpec(
            "opacity", "Opacity", ValueKind.CHOICE, "all", "Whether the plane's own alpha counts.",
            choices=(("all", "All of it"), ("alpha", "Its own alpha")),
        ),
        ValueSpec("band", "Band", ValueKind.NUMBER, 0.1, "How far heights may differ and both are seen.", 0.01, 1.0,
                  when=("way", ("height",))),
        ValueSpec("offset", "Offset", ValueKind.NUMBER, 0.0, "Lifts the other plane above what is under it.", -1.0, 1.0,
                  when=("way", ("height",))),
        ValueSpec(
            "way", "By", ValueKind.CHOICE, "mask", "What decides how much of the other plane is seen.",
            choices=(("mask", "A mask"), ("height", "Height")),
        ),
    ),
    formula=formula,
    group=Group.LAYER,
    place=1,
    share=share,
    lays_itself=True,
    planes=(
        PlaneSpec("colour", "Colour", "The plane of colour that is laid over.", reads=Reads.COLOUR),
        PlaneSpec("mask", "Mask", "1 shows the other plane, 0 what is under it.", needed=False),
        PlaneSpec("over", "Its height", "The height of the other plane.", when=("way", ("height",)), needed=False),
        PlaneSpec("under", "Height under it", "The height of what is under it.", (Role.HEIGHT,), ("height",),
                  when=("way", ("height",)), needed=False),
    ),
)  # fmt: skip
