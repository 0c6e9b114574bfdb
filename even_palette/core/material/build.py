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


def coat_formula(region: Dressed, parameters: Sequence[Parameter]) -> Node:
    """The colour of one region alone, linear vec3 clipped to 0..1, from the base colour slot."""
    return _Builder(parameters, live=False).coat(region)


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
    builder = _Builder(parameters, live)
    encoded = blending == Blending.ENCODED
    sections = [Section("Base colour, linear light", builder.base)]
    weights, colours = [], []
    for index, region in enumerate(regions):
        colour = builder.coat(region)
        plane, channel = plane_and_channel(index)
        weights.append(nodes.texture(weights_slot(plane), nodes.uv())["xyzw"[channel]])
        colours.append(encode(colour) if encoded else colour)
        sections.append(Section(f"{region.label}: {COATS[region.coat.kind].label.lower()}", colours[-1]))

    mixed = encode(builder.base) if encoded else builder.base
    if weights:
        rest = nodes.maximum(1 - nodes.total(weights), 0)
        mixed = nodes.total([mixed * rest, *(c * w for c, w in zip(colours, weights, strict=True))])
    used = tuple(parameter for parameter in parameters if parameter.name in builder.used)
    return Material(decode(mixed) if encoded else mixed, tuple(sections), used, builder.extra)


class _Builder:
    """Turns coats into expressions and notes which parameters and extra inputs they use."""

    def __init__(self, parameters: Sequence[Parameter], live: bool) -> None:
        self.base = nodes.texture(BASE_SLOT, nodes.uv())["xyz"]
        self.used: set[str] = set()
        self.extra: dict[str, float | Colour] = {}
        self._known = {parameter.name for parameter in parameters}
        self._live = live

    def coat(self, region: Dressed) -> Node:
        kind = COATS[region.coat.kind]
        values = {spec.name: region.coat.values.get(spec.name, spec.default) for spec in kind.values}
        inputs = CoatInputs(
            self.base,
            self._fixed(f"mean_{region.key}", region.mean),
            {spec.name: self._value(region, spec, values[spec.name]) for spec in kind.values if spec.bindable},
            {spec.name: str(values[spec.name]) for spec in kind.values if not spec.bindable},
        )
        return nodes.clamp(kind.formula(inputs))

    def _value(self, region: Dressed, spec: ValueSpec, value: Value) -> Node:
        if isinstance(value, Bound):
            assert value.parameter in self._known
            self.used.add(value.parameter)
            return nodes.parameter(value.parameter, Type.VEC3 if spec.kind == ValueKind.COLOUR else Type.FLOAT)
        assert not isinstance(value, str)
        return self._fixed(f"fixed_{region.key}_{spec.name}", linear_setting(value))

    def _fixed(self, name: str, value: float | Colour) -> Node:
        if self._live:
            self.extra[name] = value
            return nodes.parameter(name, Type.VEC3 if isinstance(value, tuple) else Type.FLOAT)
        return nodes.constant(*value) if isinstance(value, tuple) else nodes.constant(value)
