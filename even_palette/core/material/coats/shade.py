"""Shade: the colour darkened by a plane, such as occlusion."""

from collections.abc import Mapping

from even_palette.core.graph.nodes import Node
from even_palette.core.material.declare import CoatInputs, CoatKind, Group, PlaneSpec
from even_palette.core.material.outputs import COLOUR
from even_palette.core.raster.guess import Role


def formula(inputs: CoatInputs) -> Mapping[str, Node]:
    """U times the plane; with its strength, U mix(1, plane, strength)."""
    plane = inputs.planes.get("plane")
    return {} if plane is None else {COLOUR: inputs.colour * plane}


COAT = CoatKind(
    name="shade",
    label="Shade",
    help="Darkens the colour by a plane: occlusion and the like.",
    values=(),
    formula=formula,
    group=Group.LIGHT,
    place=2,
    planes=(
        PlaneSpec("plane", "Plane", "What darkens: 0 is black, 1 keeps the colour.", (Role.OCCLUSION,), ("occlusion",)),
    ),
)
