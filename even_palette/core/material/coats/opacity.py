"""Opacity: how much of the sheet is seen, scaled, moved, taken from a plane, and faded."""

from collections.abc import Mapping

from even_palette.core.graph import nodes
from even_palette.core.graph.nodes import Node
from even_palette.core.material.declare import CoatInputs, CoatKind, Group, PlaneSpec, ValueSpec
from even_palette.core.material.drawn import dithered
from even_palette.core.material.model import ValueKind


def formula(inputs: CoatInputs) -> Mapping[str, Node]:
    """clamp(opacity * plane * scale + offset), then times the fade, or 0 at so many pixels as the fade leaves out."""
    values = inputs.values
    seen = inputs.output("opacity")
    if "plane" in inputs.planes:
        seen = seen * inputs.planes["plane"]
    seen = nodes.clamp(seen * values["scale"] + values["offset"])
    fade = nodes.clamp(values["fade"])
    return {"opacity": seen * (dithered(fade) if inputs.choices["fading"] == "pixels" else fade)}


COAT = CoatKind(
    name="opacity",
    label="Opacity",
    help="Says how much is seen: by the paint's alpha, by a plane, and as far as a fade lets it.",
    values=(
        ValueSpec("scale", "Scale", ValueKind.NUMBER, 1.0, "Factor on the opacity under the coat.", 0.0, 8.0, "×"),
        ValueSpec("offset", "Offset", ValueKind.NUMBER, 0.0, "Added to it: more or less is seen.", -1.0, 1.0),
        ValueSpec("fade", "Fade", ValueKind.NUMBER, 1.0, "How much of all that is seen: 0 is gone, 1 is there."),
        ValueSpec(
            "fading", "Fades by", ValueKind.CHOICE, "opacity", "What a fade between 0 and 1 does.",
            choices=(("opacity", "Shining through"), ("pixels", "Leaving out pixels")),
        ),
    ),
    formula=formula,
    group=Group.SURFACE,
    place=3,
    sets=("opacity",),
    planes=(
        PlaneSpec("plane", "Plane", "Multiplies the opacity: 1 is seen, 0 is not.", needed=False),
    ),
)  # fmt: skip
