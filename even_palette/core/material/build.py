"""Builds the expressions of a sheet's material from the coats of its regions and its overcoats."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache

from even_palette.core.arrays import float32
from even_palette.core.colour.srgb import srgb_to_linear
from even_palette.core.graph import nodes
from even_palette.core.graph.nodes import Node
from even_palette.core.graph.program import Program, program_of
from even_palette.core.graph.types import Type
from even_palette.core.graph.walks import replaced
from even_palette.core.material.chance import draw_of
from even_palette.core.material.coats import COATS
from even_palette.core.material.colour_nodes import decode, encode
from even_palette.core.material.declare import BLENDING, MIXING, STRENGTH, CoatInputs, PlaneSpec, Reads, ValueSpec
from even_palette.core.material.drawn import OPAQUE, Drawing, Way, alpha_of
from even_palette.core.material.mixing import LINEAR_MIXING, MIXINGS, MODES, NORMAL_MODE
from even_palette.core.material.model import (
    Blending,
    Bound,
    Coat,
    Colour,
    Parameter,
    PlaneUse,
    Setting,
    Value,
    ValueKind,
)
from even_palette.core.material.outputs import ALPHA, COLOUR, OPACITY, OUTPUTS, STRAND_SHIFT
from even_palette.core.material.plane_numbers import PATTERN, numbers_of
from even_palette.core.material.plane_reads import Pictures, PlaneReads, SlotUse, in_one_sheet
from even_palette.core.material.shading import AS_SURFACE, Shaded, Shading
from even_palette.core.material.under import Under
from even_palette.core.raster.sampling import SMOOTH
from even_palette.core.regions.packing import PackingPlan

BASE_SLOT = "base_colour"


@dataclass(frozen=True)
class Dressed:
    """A region, or the overcoats of a sheet, as the material sees it: a key for names, a label, its coats in order.

    `means` are the weighted means (linear) of the colour under each coat, `draws` the names under which each draws by
    chance; without them that is the key of the coat.
    """

    key: str
    label: str
    coats: tuple[Coat, ...]
    means: tuple[Colour, ...]
    draws: tuple[str, ...] = ()


@dataclass(frozen=True)
class Material:
    """The expressions of a sheet's outputs with what their inputs are. Weights are still those of regions, unpacked.

    `slots` are the planes that they sample beside the base colour and the weights. `extra` holds the values of inputs
    that are not parameters of the kit: fixed values and means that a live material keeps changeable.
    """

    outputs: Mapping[str, Node]
    sections: tuple[tuple[str, Node], ...]
    parameters: tuple[Parameter, ...]
    slots: Mapping[str, SlotUse]
    extra: Mapping[str, float | Colour]

    @property
    def base(self) -> Node:
        """The base colour, linear vec3."""
        return self.sections[0][1]

    def inputs(self, settings: Mapping[str, Setting]) -> dict[str, float | Colour]:
        """Values for every parameter node, by key: colours as linear light, numbers as they are."""
        return {
            **self.extra,
            **{p.key: linear_setting(settings[p.key]) for p in self.parameters},
        }

    def packed(self, plan: PackingPlan) -> dict[str, Node]:
        """The outputs with weights taken from where a packing plan puts them."""
        return _packed(self.outputs, plan)

    def program(self, plan: PackingPlan) -> Program:
        """The program that is shipped: weights as a packing plan puts them, parameters by their names."""
        sections = {f"section {number}": node for number, (_, node) in enumerate(self.sections)}
        found = _named(_packed({**self.outputs, **sections}, plan), self.parameters)
        told = [(comment, found[name]) for name, (comment, _) in zip(sections, self.sections, strict=True)]
        return program_of({name: found[name] for name in self.outputs}, told)


def _packed(outputs: Mapping[str, Node], plan: PackingPlan) -> dict[str, Node]:
    return dict(zip(outputs, _with_weights(tuple(outputs.values()), plan), strict=True))


@lru_cache(maxsize=16)
def _with_weights(found: tuple[Node, ...], plan: PackingPlan) -> tuple[Node, ...]:
    return tuple(replaced(found, "weight", lambda node: plan.weight(str(node.payload[0]))))


def _named(outputs: Mapping[str, Node], parameters: Sequence[Parameter]) -> dict[str, Node]:
    names = {parameter.key: parameter.name for parameter in parameters}
    found = replaced(
        outputs.values(), "parameter", lambda node: nodes.parameter(names[str(node.payload[0])], node.type)
    )
    return dict(zip(outputs, found, strict=True))


@lru_cache(maxsize=4096)
def linear_setting(setting: Setting) -> float | Colour:
    """A setting as the runtime takes it: colours decoded to linear light, numbers as they are."""
    return linear_light(setting) if isinstance(setting, tuple) else float(setting)


def linear_light(colour: Colour, strength: float = 1.0) -> Colour:
    """An encoded colour as linear light, so many times as strong."""
    red, green, blue = (part * strength for part in srgb_to_linear(float32(colour)).tolist())
    return (red, green, blue)


@dataclass(frozen=True)
class Worn:
    """What one region's coats alone make of the sheet: its outputs, and its colours before each coat was clipped."""

    outputs: Mapping[str, Node]
    unclipped: tuple[Node, ...]
    slots: Mapping[str, SlotUse]
    extra: Mapping[str, float | Colour] = field(default_factory=dict)


def worn(
    region: Dressed, parameters: Sequence[Parameter], pictures: Pictures | None = None, live: bool = False
) -> Worn:
    """The outputs of one region alone; colour is linear vec3, clipped to 0..1. `live` is as for a whole material."""
    builder = _Builder(parameters, live, pictures or Pictures())
    unclipped: list[Node] = []
    outputs = builder.dressed(region, {COLOUR: builder.base}, unclipped)
    return Worn(outputs, tuple(unclipped), builder.reads.slots, builder.extra)


def acting(
    region: Dressed, number: int, parameters: Sequence[Parameter], pictures: Pictures | None = None, live: bool = False
) -> Worn:
    """How far the coat with this number acts at each texel: the output "share", 0..1, by its own mask and pattern."""
    builder = _Builder(parameters, live, pictures or Pictures())
    before = replace(region, coats=region.coats[:number], means=region.means[:number])
    under = builder.dressed(before, {COLOUR: builder.base}, [])
    coat, inputs = region.coats[number], builder.inputs(region, number, under)
    own = COATS[coat.kind].share
    share = builder.strength(_named_coat(region, number), inputs, coat) * (own(inputs) if own is not None else 1.0)
    return Worn({"share": nodes.clamp(share)}, (), builder.reads.slots, builder.extra)


def build_material(
    regions: Sequence[Dressed],
    parameters: Sequence[Parameter],
    blending: Blending = Blending.LINEAR,
    live: bool = False,
    overcoats: Dressed | None = None,
    pictures: Pictures | None = None,
    drawing: Drawing = OPAQUE,
    shaded: Shaded = AS_SURFACE,
) -> Material:
    """The material of a sheet. One that is not drawn opaque gives its opacity, and the alpha that it is drawn with.

    An output of a texel = base + sum over the regions of w_r (coats of r), base having 1 - sum w; then the overcoats.
    Colour is clipped to 0..1 after each coat. A `live` material takes fixed values and means as inputs too, so that
    changing them does not change the expression.
    """
    builder = _Builder(parameters, live, pictures or Pictures())
    encoded = blending == Blending.ENCODED
    base = {COLOUR: builder.base}
    sections = [("Base colour, linear light", builder.base)]
    found: list[tuple[Node, Mapping[str, Node]]] = []
    for region in regions:
        dressed = builder.dressed(region, base, [])
        if encoded:
            dressed = {**dressed, COLOUR: encode(dressed[COLOUR])}
        found.append((nodes.weight(region.key), dressed))
        kinds = ", ".join(COATS[coat.kind].label.lower() for coat in region.coats)
        sections.append((f"{region.label}: {kinds}", dressed[COLOUR]))
    mixed = {}
    for name in dict.fromkeys([COLOUR, *(name for _, dressed in found for name in dressed)]):
        under = base.get(name) or builder.under(name)
        under = encode(under) if encoded and name == COLOUR else under
        users = [(weight, dressed[name]) for weight, dressed in found if name in dressed]
        if users:
            rest = nodes.maximum(1 - nodes.total([weight for weight, _ in users]), 0)
            under = nodes.total([under * rest, *(value * weight for weight, value in users)])
        mixed[name] = decode(under) if encoded and name == COLOUR else under
    if overcoats is not None and overcoats.coats:
        mixed = builder.dressed(overcoats, mixed, [])
        kinds = ", ".join(COATS[coat.kind].label.lower() for coat in overcoats.coats)
        sections.append((f"Overcoats: {kinds}", mixed[COLOUR]))
    if drawing.way != Way.OPAQUE:
        seen = mixed.get(OPACITY) or builder.under(OPACITY)
        mixed |= {OPACITY: seen, ALPHA: alpha_of(seen, drawing)}
    if shaded.kind == Shading.STRANDS and shaded.broken_by is not None:
        mixed[STRAND_SHIFT] = builder.reads.value(shaded.broken_by)
    roots, slots = in_one_sheet(
        [*mixed.values(), *(node for _, node in sections)], builder.reads.slots, builder.reads.strips
    )
    mixed = dict(zip(mixed, roots, strict=False))
    sections = [(title, node) for (title, _), node in zip(sections, roots[len(mixed) :], strict=True)]
    ordered = {name: mixed[name] for name in OUTPUTS if name in mixed}
    used = tuple(parameter for parameter in parameters if parameter.key in builder.used)
    return Material(ordered, tuple(sections), used, slots, builder.extra)


class _Builder:
    """Turns coats into expressions and notes which parameters, slots and extra inputs they use."""

    def __init__(self, parameters: Sequence[Parameter], live: bool, pictures: Pictures) -> None:
        texel = nodes.texture(BASE_SLOT, nodes.uv())
        self.base = nodes.splat(decode(texel["x"]), Type.VEC3) if pictures.grey else texel["xyz"]
        self.used: set[str] = set()
        self.reads = PlaneReads(pictures)
        self.extra: dict[str, float | Colour] = {}
        self._known = {parameter.key for parameter in parameters}
        self._live = live

    def as_opened(self, name: str) -> Node:
        """An output as the maps say where no coat is put on."""
        return self.base if name == COLOUR else self.under(name)

    def under(self, name: str) -> Node:
        """An output as the sheet's maps say, or its default."""
        if name not in self.reads.pictures.maps:
            return OUTPUTS[name].node
        use, whole = self.reads.pictures.maps[name]
        if use == self.reads.pictures.beside_colour:
            return nodes.texture(BASE_SLOT, nodes.uv())["w"]
        if OUTPUTS[name].type == Type.VEC3 and whole:
            return self.reads.sampled(use.plane, SMOOTH)["xyz"]
        value = self.reads.value(use)
        return nodes.join(value, value, value) if OUTPUTS[name].type == Type.VEC3 else value

    def dressed(self, region: Dressed, base: Mapping[str, Node], unclipped: list[Node]) -> dict[str, Node]:
        """The outputs after all coats of a region; the colour that each coat makes is added to `unclipped`."""
        outputs = dict(base)
        for number, coat in enumerate(region.coats):
            if coat.on:
                outputs |= self._coat(region, number, outputs, unclipped)
        return outputs

    def inputs(self, region: Dressed, number: int, under: Mapping[str, Node]) -> CoatInputs:
        """What the formula of a coat may use."""
        coat, name = region.coats[number], _named_coat(region, number)
        kind, draws = COATS[coat.kind], region.draws[number] if region.draws else coat.key
        values = {spec.name: coat.values.get(spec.name, spec.default) for spec in kind.values}
        texels = {
            spec.name: self.reads.texel(*self._placed(name, coat, spec.name, use), colour=True)
            for spec, use in _read(kind.planes, coat, Reads.COLOUR)
        }
        return CoatInputs(
            Under(under, self.under),
            self.base,
            self._fixed(f"{name}_Mean", region.means[number]),
            {spec.name: self._value(name, spec, values[spec.name]) for spec in kind.values if spec.bindable},
            {spec.name: str(values[spec.name]) for spec in kind.values if not spec.bindable},
            {
                spec.name: self.reads.value(*self._placed(name, coat, spec.name, use))
                for spec, use in _read(kind.planes, coat, Reads.VALUE)
            },
            {spec.name: self.reads.strip(use) for spec, use in _read(kind.planes, coat, Reads.STRIP)},
            {spec.name: self.reads.index(use) for spec, use in _read(kind.planes, coat, Reads.INDEX)},
            {plane: texel["xyz"] for plane, texel in texels.items()},
            {plane: texel["w"] for plane, texel in texels.items()},
            {spec.name: self.reads.atlas(use) for spec, use in _read(kind.planes, coat, Reads.ATLAS)},
            self.as_opened,
            frozenset(under),
            draw_of(draws, values),
            {
                spec.name: self.reads.normal(*self._placed(name, coat, spec.name, use))
                for spec, use in _read(kind.planes, coat, Reads.NORMAL)
            },
        )

    def strength(self, name: str, inputs: CoatInputs, coat: Coat) -> Node:
        """How much of a coat is put on."""
        share = inputs.values[STRENGTH.name]
        if coat.pattern is None:
            return share
        return share * self.reads.value(*self._placed(name, coat, PATTERN, coat.pattern))

    def _placed(self, name: str, coat: Coat, plane: str, use: PlaneUse) -> tuple[PlaneUse, dict[str, Node]]:
        """The use of a plane with the numbers that the coat sets, and those that follow parameters."""
        bound, numbers = dict[str, Node](), numbers_of(COATS[coat.kind])
        for value_name, value in coat.values.items():
            of, number, spec = numbers.get(value_name, ("", None, None))
            if of != plane or number is None or spec is None:
                continue
            if isinstance(value, Bound):
                bound[number.name] = self._value(name, spec, value)
            else:
                assert isinstance(value, float | int)
                use = number.put(use, float(value))
        return use, bound

    def _coat(self, region: Dressed, number: int, under: Mapping[str, Node], unclipped: list[Node]) -> dict[str, Node]:
        coat, name, inputs = region.coats[number], _named_coat(region, number), self.inputs(region, number, under)
        share = self.strength(name, inputs, coat)
        whole = coat.values.get(STRENGTH.name, STRENGTH.default) == 1.0 and coat.pattern is None
        kind, changed = COATS[coat.kind], dict[str, Node]()
        mode, mixing = (str(coat.values.get(spec.name, spec.default)) for spec in (BLENDING, MIXING))
        made = dict(kind.formula(inputs))
        mode = NORMAL_MODE if kind.lays_itself else mode
        if mode != NORMAL_MODE and COLOUR in kind.set_by(coat.planes):
            made.setdefault(COLOUR, inputs.colour)  # what changes nothing is laid over itself
        for output, value in made.items():
            if output == COLOUR and value is inputs.colour and mode == NORMAL_MODE:
                continue
            if output == COLOUR:
                unclipped.append(value)
            clipped = nodes.maximum(value, 0) if output == "emission" else nodes.clamp(value)
            if output == COLOUR and not (mode == NORMAL_MODE and (whole or mixing == LINEAR_MIXING)):
                how = MIXINGS[mixing]
                under_it = how.made(inputs.colour)
                laid = MODES[mode].laid(under_it, how.made(clipped))
                changed[output] = how.back(laid if whole else nodes.mix(under_it, laid, share))
            else:
                changed[output] = clipped if whole else nodes.mix(inputs.output(output), clipped, share)
        return changed

    def _value(self, name: str, spec: ValueSpec, value: Value) -> Node:
        if isinstance(value, Bound):
            assert value.parameter in self._known
            self.used.add(value.parameter)
            return nodes.parameter(value.parameter, Type.VEC3 if spec.kind == ValueKind.COLOUR else Type.FLOAT)
        assert not isinstance(value, str)
        if spec == STRENGTH and value == 1.0:
            return nodes.constant(1.0)
        return self._fixed(f"{name}_Fixed_{spec.name}", linear_setting(value))

    def _fixed(self, name: str, value: float | Colour) -> Node:
        if self._live:
            self.extra[name] = value
            return nodes.parameter(name, Type.VEC3 if isinstance(value, tuple) else Type.FLOAT)
        return nodes.constant(*value) if isinstance(value, tuple) else nodes.constant(value)


def _named_coat(region: Dressed, number: int) -> str:
    return f"{region.key}_C{number}"  # keys have no capitals, so no two names are alike


def _read(specs: Sequence[PlaneSpec], coat: Coat, reads: Reads) -> list[tuple[PlaneSpec, PlaneUse]]:
    return [(spec, coat.planes[spec.name]) for spec in specs if spec.reads == reads and spec.name in coat.planes]
