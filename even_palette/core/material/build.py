"""Builds the expression of a sheet's material from the coats of its regions."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from even_palette.core.arrays import float32
from even_palette.core.colour.srgb import srgb_to_linear
from even_palette.core.graph import nodes
from even_palette.core.graph.glsl import Section
from even_palette.core.graph.nodes import Node
from even_palette.core.graph.types import Type
from even_palette.core.material.coats import COATS
from even_palette.core.material.colour_nodes import decode, encode
from even_palette.core.material.declare import CoatInputs, ValueSpec
from even_palette.core.material.model import Blending, Bound, Coat, Colour, Parameter, Setting, Value, ValueKind
from even_palette.core.regions.packing import plane_and_channel

BASE_SLOT = "base_colour"


def weights_slot(plane: int) -> str:
    return f"weights_{plane}"


@dataclass(frozen=True)
class Dressed:
    """A region as the material sees it: a key for names, a label, its coat, its weighted mean of the base (linear)."""

    key: str
    label: str
    coat: Coat
    mean: Colour


@dataclass(frozen=True)
class Material:
    """The expression of a sheet's colour (linear vec3) with what its inputs are.

    `extra` holds the values of inputs that are not parameters of the kit: fixed values and means that a live material
    keeps changeable.
    """

    output: Node
    sections: tuple[Section, ...]
    parameters: tuple[Parameter, ...]
    extra: Mapping[str, float | Colour]

    def inputs(self, settings: Mapping[str, Setting]) -> dict[str, float | Colour]:
        """Values for every parameter node: colours as linear light, numbers as they are."""
        return {
            **self.extra,
            **{p.name: linear_setting(settings[p.name]) for p in self.parameters},
        }


def linear_setting(setting: Setting) -> float | Colour:
    """A setting as the runtime takes it: colours decoded to linear light, numbers as they are."""
    if not isinstance(setting, tuple):
        return float(setting)
    red, green, blue = srgb_to_linear(float32(setting)).tolist()
    return (red, green, blue)


def build_material(
    regions: Sequence[Dressed],
    parameters: Sequence[Parameter],
    blending: Blending = Blending.LINEAR,
    live: bool = False,
) -> Material:
    """The material of a sheet.

    Colour of a texel = base B + sum w_r coat_r(B), base = 1 - sum w; each coat is clipped to 0..1. A `live` material
    takes fixed values and means as inputs too, so that changing them does not change the expression.
    """
    by_name = {parameter.name: parameter for parameter in parameters}
    extra: dict[str, float | Colour] = {}
    used: dict[str, Parameter] = {}

    def fixed(name: str, setting: Setting) -> Node:
        value = linear_setting(setting)
        if live:
            extra[name] = value
            return nodes.parameter(name, Type.VEC3 if isinstance(value, tuple) else Type.FLOAT)
        return nodes.constant(*value) if isinstance(value, tuple) else nodes.constant(value)

    def node_of(region: Dressed, spec: ValueSpec, value: Value) -> Node:
        if isinstance(value, Bound):
            used[value.parameter] = by_name[value.parameter]
            return nodes.parameter(value.parameter, Type.VEC3 if spec.kind == ValueKind.COLOUR else Type.FLOAT)
        assert not isinstance(value, str)
        return fixed(f"fixed_{region.key}_{spec.name}", value)

    base = nodes.texture(BASE_SLOT, nodes.uv())["xyz"]
    sections = [Section("Base colour, linear light", base)]
    weights, colours = [], []
    for index, region in enumerate(regions):
        kind = COATS[region.coat.kind]
        values = {spec.name: region.coat.values.get(spec.name, spec.default) for spec in kind.values}
        mean = region.mean
        if live:
            extra[f"mean_{region.key}"] = mean
        inputs = CoatInputs(
            base,
            nodes.parameter(f"mean_{region.key}", Type.VEC3) if live else nodes.constant(*mean),
            {spec.name: node_of(region, spec, values[spec.name]) for spec in kind.values if spec.bindable},
            {spec.name: str(values[spec.name]) for spec in kind.values if not spec.bindable},
        )
        colour = nodes.clamp(kind.formula(inputs))
        plane, channel = plane_and_channel(index)
        weights.append(nodes.texture(weights_slot(plane), nodes.uv())["xyzw"[channel]])
        colours.append(encode(colour) if blending == Blending.ENCODED else colour)
        sections.append(Section(f"{region.label}: {kind.label.lower()}", colours[-1]))

    under = encode(base) if blending == Blending.ENCODED else base
    if weights:
        rest = nodes.maximum(1 - nodes.total(weights), 0)
        mixed = nodes.total([under * rest, *(c * w for c, w in zip(colours, weights, strict=True))])
    else:
        mixed = under
    output = decode(mixed) if blending == Blending.ENCODED else mixed
    ordered = tuple(parameter for parameter in parameters if parameter.name in used)
    return Material(output, tuple(sections), ordered, extra)
