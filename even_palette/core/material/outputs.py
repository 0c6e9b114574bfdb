"""What a material gives: colour and the surface values, with what each is where nothing sets it."""

from dataclasses import dataclass

from even_palette.core.graph.nodes import Node, constant
from even_palette.core.graph.types import Type
from even_palette.core.raster.guess import Role

COLOUR = "colour"
NORMAL = "normal"
HEIGHT = "height"
OPACITY, ALPHA = "opacity", "alpha"
STRAND_SHIFT = "strand_shift"
LIGHT = (COLOUR, "emission")
"""Outputs that are linear light: they are encoded for looking at and in 8 bits, all others are numbers."""


@dataclass(frozen=True)
class Output:
    """One output: its type, its value where neither map nor coat sets it, the role of a map that does, and its name.

    Colour and emission are linear light, all others numbers 0..1; a normal is stored as maps store it, (n + 1) / 2.
    """

    name: str
    label: str
    type: Type
    default: tuple[float, ...]
    role: Role | None
    told: str

    @property
    def node(self) -> Node:
        """The default as an expression."""
        return constant(*self.default)


OUTPUTS: dict[str, Output] = {
    row.name: row
    for row in (
        Output(COLOUR, "Colour", Type.VEC3, (0.0, 0.0, 0.0), Role.BASE_COLOUR, "base colour, linear light"),
        Output("emission", "Emission", Type.VEC3, (0.0, 0.0, 0.0), Role.EMISSION, "light that it gives, linear"),
        Output("metalness", "Metalness", Type.FLOAT, (0.0,), Role.METALNESS, "0 for paint, 1 for metal"),
        Output("roughness", "Roughness", Type.FLOAT, (0.6,), Role.ROUGHNESS, "0 for a mirror, 1 for chalk"),
        Output("clear_coat", "Clear coat", Type.FLOAT, (0.0,), Role.CLEAR_COAT, "strength of a layer of varnish"),
        Output("occlusion", "Occlusion", Type.FLOAT, (1.0,), Role.OCCLUSION, "1 where the sky is seen"),
        Output(NORMAL, "Normal", Type.VEC3, (0.5, 0.5, 1.0), Role.NORMAL, "in tangent space, green up: (n + 1) / 2"),
        Output(HEIGHT, "Height", Type.FLOAT, (0.5,), Role.HEIGHT, "for parallax or displacement: 0.5 lies on the mesh"),
        Output(STRAND_SHIFT, "Shift along strands", Type.FLOAT, (0.5,), None, "of highlights of strands: 0.5 for none"),
        Output(OPACITY, "Opacity", Type.FLOAT, (1.0,), Role.OPACITY, "1 where nothing shines through"),
        Output(ALPHA, "Alpha as drawn", Type.FLOAT, (1.0,), None, "opacity cut out, blended or dithered: draw so much"),
    )
}
