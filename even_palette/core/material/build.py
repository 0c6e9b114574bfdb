"""Builds the expressions of a sheet's material from the coats of its regions and its overcoats."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache

from even_palette.core.arrays import float32
from even_palette.core.colour.srgb import srgb_to_linear
from even_palette.core.graph import nodes
from even_palette.core.graph.mip_level import fitting_level
from even_palette.core.graph.nodes import Node
from even_palette.core.graph.program import Program, program_of
from even_palette.core.graph.types import Type
from even_palette.core.material import tiling
from even_palette.core.material.coats import COATS
from even_palette.core.material.colour_nodes import above, curved, decode, encode
from even_palette.core.material.declare import STRENGTH, Atlas, CoatInputs, IndexMap, PlaneSpec, Reads, Strip, ValueSpec
from even_palette.core.material.input_levels import LEAST_STEP
from even_palette.core.material.model import (
    Blending,
    Bound,
    Coat,
    Colour,
    Parameter,
    PlaneKind,
    PlaneRef,
    PlaneUse,
    Setting,
    Value,
    ValueKind,
)
from even_palette.core.material.outputs import COLOUR, OUTPUTS
from even_palette.core.raster.sampling import SHARP, SMOOTH, Filter, Sampler, Wrap
from even_palette.core.regions.packing import PackingPlan

BASE_SLOT = "base_colour"
IN_STRIP = Sampler(mips=False)
"""How strips are sampled: filtered, their ends held, never in mips."""
IN_ATLAS = Sampler(wrap=Wrap.REPEAT)
"""How cells of atlases are sampled: each repeats, and has mips of its own."""


@dataclass(frozen=True)
class SlotUse:
    """What a slot holds: a plane under a sampler, made a `colour`, or cut into the cells of a grid.

    Strips of one width stand in one sheet, the rows of those `below` under those of the first.
    """

    plane: PlaneRef
    sampler: Sampler
    colour: bool = False
    grid: tuple[int, int] = (1, 1)
    cells: int = 0
    below: tuple[PlaneRef, ...] = ()


@dataclass(frozen=True)
class Pictures:
    """What a material must know of the planes of a sheet beside what coats say.

    `maps` are those of surface values, by the output that they set; `size` gives width and height of a plane, entries
    and rows of a strip. Where the base is `grey`, one number a texel stands in its place, encoded.
    """

    maps: Mapping[str, PlaneRef] = field(default_factory=dict)
    size: Callable[[PlaneRef], tuple[int, int]] = lambda ref: (1, 1)
    grey: bool = False


@dataclass(frozen=True)
class Dressed:
    """A region, or the overcoats of a sheet, as the material sees it: a key for names, a label, its coats in order.

    `means` are the weighted means (linear) of the colour under each coat.
    """

    key: str
    label: str
    coats: tuple[Coat, ...]
    means: tuple[Colour, ...]


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
    return tuple(nodes.replaced(found, "weight", lambda node: plan.weight(str(node.payload[0]))))


def _named(outputs: Mapping[str, Node], parameters: Sequence[Parameter]) -> dict[str, Node]:
    names = {parameter.key: parameter.name for parameter in parameters}
    found = nodes.replaced(
        outputs.values(), "parameter", lambda node: nodes.parameter(names[str(node.payload[0])], node.type)
    )
    return dict(zip(outputs, found, strict=True))


def linear_setting(setting: Setting) -> float | Colour:
    """A setting as the runtime takes it: colours decoded to linear light, numbers as they are."""
    if not isinstance(setting, tuple):
        return float(setting)
    red, green, blue = srgb_to_linear(float32(setting)).tolist()
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
    return Worn(outputs, tuple(unclipped), builder.slots, builder.extra)


def acting(
    region: Dressed, number: int, parameters: Sequence[Parameter], pictures: Pictures | None = None, live: bool = False
) -> Worn:
    """How far the coat with this number acts at each texel: the output "share", 0..1, by its own mask and pattern."""
    builder = _Builder(parameters, live, pictures or Pictures())
    before = replace(region, coats=region.coats[:number], means=region.means[:number])
    under = builder.dressed(before, {COLOUR: builder.base}, [])
    coat, name = region.coats[number], f"{region.key}_C{number}"
    inputs = builder.inputs(name, coat, region.means[number], under)
    own = COATS[coat.kind].share
    share = builder.strength(inputs, coat) * (own(inputs) if own is not None else 1.0)
    return Worn({"share": nodes.clamp(share)}, (), builder.slots, builder.extra)


def build_material(
    regions: Sequence[Dressed],
    parameters: Sequence[Parameter],
    blending: Blending = Blending.LINEAR,
    live: bool = False,
    overcoats: Dressed | None = None,
    pictures: Pictures | None = None,
) -> Material:
    """The material of a sheet.

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
    roots, slots = _in_one_sheet([*mixed.values(), *(node for _, node in sections)], builder.slots, builder.strips)
    mixed = dict(zip(mixed, roots, strict=False))
    sections = [(title, node) for (title, _), node in zip(sections, roots[len(mixed) :], strict=True)]
    ordered = {name: mixed[name] for name in OUTPUTS if name in mixed}
    used = tuple(parameter for parameter in parameters if parameter.key in builder.used)
    return Material(ordered, tuple(sections), used, slots, builder.extra)


def _in_one_sheet(
    roots: list[Node], slots: Mapping[str, SlotUse], strips: Mapping[str, tuple[int, int]]
) -> tuple[list[Node], dict[str, SlotUse]]:
    """The expressions with strips of one width looked up in one slot; `strips` has the width and rows of each."""
    moved: dict[str, tuple[str, int]] = {}
    below: dict[str, int] = {}
    made = dict(slots)
    for width in sorted({width for width, _ in strips.values()}):
        alike = [slot for slot, (other, _) in strips.items() if other == width]
        if len(alike) < 2:
            continue
        sheet, first = f"strips_{width}", 0
        planes = [made.pop(slot).plane for slot in alike]
        made[sheet] = SlotUse(planes[0], IN_STRIP, below=tuple(planes[1:]))
        for slot in alike:
            moved[slot] = sheet, first
            first += strips[slot][1]
        below[sheet] = first

    def look_up(node: Node) -> Node:
        (position, row), slot = node.args, str(node.payload[0])
        if slot not in moved:
            return node
        sheet, first = moved[slot]
        width, rows = strips[slot]
        return nodes.strip(sheet, (width, below[sheet]), position, nodes.clamp(row, 0, rows - 1) + first)

    return (nodes.replaced(roots, "strip", look_up) if moved else roots), made


class _Builder:
    """Turns coats into expressions and notes which parameters, slots and extra inputs they use."""

    def __init__(self, parameters: Sequence[Parameter], live: bool, pictures: Pictures) -> None:
        texel = nodes.texture(BASE_SLOT, nodes.uv())
        self.base = nodes.splat(decode(texel["x"]), Type.VEC3) if pictures.grey else texel["xyz"]
        self.used: set[str] = set()
        self.slots: dict[str, SlotUse] = {}
        self.strips: dict[str, tuple[int, int]] = {}
        self.extra: dict[str, float | Colour] = {}
        self._known = {parameter.key for parameter in parameters}
        self._live = live
        self._pictures = pictures

    def as_opened(self, name: str) -> Node:
        """An output as the maps say where no coat is put on."""
        return self.base if name == COLOUR else self.under(name)

    def under(self, name: str) -> Node:
        """An output as the sheet's maps say, or its default."""
        if name not in self._pictures.maps:
            return OUTPUTS[name].node
        texel = self._sampled(self._pictures.maps[name], SMOOTH)
        return texel["xyz"] if OUTPUTS[name].type == Type.VEC3 else texel["x"]

    def dressed(self, region: Dressed, base: Mapping[str, Node], unclipped: list[Node]) -> dict[str, Node]:
        """The outputs after all coats of a region; the colour that each coat makes is added to `unclipped`."""
        outputs = dict(base)
        for number, (coat, mean) in enumerate(zip(region.coats, region.means, strict=True)):
            if not coat.on:
                continue
            name = f"{region.key}_C{number}"  # keys have no capitals, so no two names are alike
            outputs |= self._coat(name, coat, mean, outputs, unclipped)
        return outputs

    def inputs(self, name: str, coat: Coat, mean: Colour, under: Mapping[str, Node]) -> CoatInputs:
        """What the formula of a coat may use."""
        kind = COATS[coat.kind]
        values = {spec.name: coat.values.get(spec.name, spec.default) for spec in kind.values}
        return CoatInputs(
            _Under(under, self),
            self.base,
            self._fixed(f"{name}_Mean", mean),
            {spec.name: self._value(name, spec, values[spec.name]) for spec in kind.values if spec.bindable},
            {spec.name: str(values[spec.name]) for spec in kind.values if not spec.bindable},
            {spec.name: self._plane(use) for spec, use in _read(kind.planes, coat, Reads.VALUE)},
            {spec.name: self._strip(use) for spec, use in _read(kind.planes, coat, Reads.STRIP)},
            {spec.name: self._index(use) for spec, use in _read(kind.planes, coat, Reads.INDEX)},
            {spec.name: self._texel(use, colour=True)["xyz"] for spec, use in _read(kind.planes, coat, Reads.COLOUR)},
            {spec.name: self._atlas(use) for spec, use in _read(kind.planes, coat, Reads.ATLAS)},
            self.as_opened,
            frozenset(under),
        )

    def strength(self, inputs: CoatInputs, coat: Coat) -> Node:
        """How much of a coat is put on."""
        share = inputs.values[STRENGTH.name]
        return share if coat.pattern is None else share * self._plane(coat.pattern)

    def _coat(
        self, name: str, coat: Coat, mean: Colour, under: Mapping[str, Node], unclipped: list[Node]
    ) -> dict[str, Node]:
        inputs = self.inputs(name, coat, mean, under)
        share = self.strength(inputs, coat)
        whole = coat.values.get(STRENGTH.name, STRENGTH.default) == 1.0 and coat.pattern is None
        changed: dict[str, Node] = {}
        for output, value in COATS[coat.kind].formula(inputs).items():
            if output == COLOUR and value is inputs.colour:
                continue
            if output == COLOUR:
                unclipped.append(value)
            clipped = nodes.maximum(value, 0) if output == "emission" else nodes.clamp(value)
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

    def _plane(self, use: PlaneUse) -> Node:
        """The number 0..1 that a plane gives at the texel."""
        x = self._texel(use)["xyzw"[use.channel]]
        if (use.low, use.high) != (0.0, 1.0):
            wide = use.high - use.low
            x = nodes.clamp((x - use.low) / wide) if wide >= LEAST_STEP else above(x, use.low)
        if use.power != 1.0:
            x = curved(nodes.maximum(x, 0), use.power)
        return 1 - x if use.invert else x

    def _strip(self, use: PlaneUse) -> Strip:
        slot = slot_name(use.plane, IN_STRIP)
        self.slots[slot] = SlotUse(use.plane, IN_STRIP)
        self.strips[slot] = self._pictures.size(use.plane)
        return Strip(slot, *self.strips[slot])

    def _index(self, use: PlaneUse) -> IndexMap:
        channel = "xyzw"[use.channel]
        sharp, smooth = replace(SHARP, wrap=use.wrap, mips=False), Sampler(wrap=use.wrap)

        def around() -> list[tuple[Node, Node]]:
            size = nodes.constant(*(float(side) for side in self._pictures.size(use.plane)))
            at = nodes.uv() * size - 0.5
            corner, share = nodes.floor(at), nodes.fract(at)
            across, down = share["x"], share["y"]
            found = []
            for x, y in ((0, 0), (1, 0), (0, 1), (1, 1)):
                uv = (corner + nodes.constant(x + 0.5, y + 0.5)) / size
                texel = self._sampled(use.plane, sharp, uv)[channel]
                found.append((texel, (across if x else 1 - across) * (down if y else 1 - down)))
            return found

        return IndexMap(self._sampled(use.plane, sharp)[channel], self._sampled(use.plane, smooth)[channel], around)

    def _atlas(self, use: PlaneUse) -> Atlas:
        slot = f"cells_{use.grid[0]}_{use.grid[1]}_{use.count}_{slot_name(use.plane)}"
        self.slots[slot] = SlotUse(use.plane, IN_ATLAS, True, use.grid, use.count)
        width, height = self._pictures.size(use.plane)
        size = max(1, width // use.grid[0]), max(1, height // use.grid[1])

        def sample(number: Node, at: Node, steps: tuple[Node, Node]) -> Node:
            number = nodes.clamp(nodes.floor(number + 0.5), 0, use.count - 1)
            return nodes.layer_lod(slot, at, number, fitting_level(steps, size))

        return Atlas(use.count, sample, size[0] == size[1])

    def _texel(self, use: PlaneUse, colour: bool = False) -> Node:
        """A plane as it lies over the sheet; one that is tiled or turned has the mips that its own steps ask for."""
        sampler, (across, down) = Sampler(use.filter, use.wrap, use.mips), use.tiling
        moved = _moved(use) if any(use.speed) else nodes.constant(0, 0)
        # At the folds of a mirror drivers would see no way from one pixel to the next, and take a finer mip.
        folded = use.wrap == Wrap.MIRROR and use.mips
        if (across, down, use.turn % 360) == (1.0, 1.0, 0.0) and not folded:
            return self._sampled(use.plane, sampler, nodes.uv() + moved, colour)
        scale, middle = nodes.constant(across, down), nodes.constant(across / 2, down / 2)

        def turned(at: Node) -> Node:
            return tiling.turned(at, nodes.constant(use.turn / 360))

        at = turned(nodes.uv() * scale - middle) + middle + moved
        if not use.mips:
            return self._sampled(use.plane, sampler, at, colour)
        slot, at = self._slot(use.plane, sampler, colour), _held(sampler, at)
        steps, size = (nodes.pixel()["xy"] * scale, nodes.pixel()["zw"] * scale), self._pictures.size(use.plane)
        if size[0] != size[1]:  # a turn changes no length in a square
            steps = turned(steps[0]), turned(steps[1])
        return nodes.texture_lod(slot, at, fitting_level(steps, size))

    def _sampled(self, plane: PlaneRef, sampler: Sampler, uv: Node | None = None, colour: bool = False) -> Node:
        return nodes.texture(self._slot(plane, sampler, colour), _held(sampler, uv or nodes.uv()))

    def _slot(self, plane: PlaneRef, sampler: Sampler, colour: bool) -> str:
        slot = ("colour_" if colour else "") + slot_name(plane, sampler)
        self.slots[slot] = SlotUse(plane, sampler, colour)
        return slot


def _moved(use: PlaneUse) -> Node:
    """How far a plane has gone, in widths and heights: what repeats is taken off before it is added to a place.

    After hours the way alone is so long that float32 has no digits left for the place in it.
    """
    way = nodes.constant(*use.speed) * nodes.time()
    match use.wrap:
        case Wrap.REPEAT:
            return nodes.fract(way)
        case Wrap.MIRROR:
            return nodes.fract(way / 2) * 2
    # The held edge goes on for ever: beyond the plane, turned or not, there is nothing else.
    far = 2 * sum(use.tiling) + 2
    return nodes.clamp(way, -far, far)


def _held(sampler: Sampler, uv: Node) -> Node:
    """uv turned over where the wrap is a mirror, so that no host needs to know of mirrors."""
    return 1 - nodes.absolute(nodes.fract(uv / 2) * 2 - 1) if sampler.wrap == Wrap.MIRROR else uv


class _Under(Mapping[str, Node]):
    """The outputs under a coat; what nothing has set yet is what the maps say."""

    def __init__(self, set_so_far: Mapping[str, Node], builder: _Builder) -> None:
        self._set, self._builder = set_so_far, builder

    def __getitem__(self, name: str) -> Node:
        return self._set[name] if name in self._set else self._builder.under(name)

    def __iter__(self):  # type: ignore[no-untyped-def]
        return iter(OUTPUTS)

    def __len__(self) -> int:
        return len(OUTPUTS)


def _read(specs: Sequence[PlaneSpec], coat: Coat, reads: Reads) -> list[tuple[PlaneSpec, PlaneUse]]:
    return [(spec, coat.planes[spec.name]) for spec in specs if spec.reads == reads and spec.name in coat.planes]


def slot_name(plane: PlaneRef, sampler: Sampler = SMOOTH) -> str:
    """The slot of a plane under a sampler: an identifier, and another one for each way of sampling."""
    how = [sampler.filter.value] if sampler.filter != Filter.LINEAR else []
    how += [sampler.wrap.value] if sampler.wrap != Wrap.CLAMP else []
    how += [] if sampler.mips else ["whole"]
    return "_".join([*how, plane.kind.value, plane.key])


def map_plane(key: str) -> PlaneRef:
    """A map by its key."""
    return PlaneRef(PlaneKind.MAP, key)
