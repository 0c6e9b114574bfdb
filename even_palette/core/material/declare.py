"""How a kind of coat is declared: its values as data, its formula as graph expressions."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum

from even_palette.core.graph import nodes
from even_palette.core.graph.nodes import Node, Operand
from even_palette.core.material.mixing import LINEAR_MIXING, MIXINGS, MODES, NORMAL_MODE
from even_palette.core.material.model import PlaneKind, Setting, ValueKind
from even_palette.core.material.outputs import COLOUR, OUTPUTS
from even_palette.core.raster.guess import Role


def counts(when: tuple[str, tuple[str, ...]] | None, choices: Mapping[str, str]) -> bool:
    """Whether something counts that does so under some ways of a choice, None for always."""
    return when is None or choices.get(when[0]) in when[1]


@dataclass(frozen=True)
class ValueSpec:
    """One value of a coat. Choices shape the formula, so they cannot be bound to a parameter."""

    name: str
    label: str
    kind: ValueKind
    default: Setting | str
    help: str
    low: float = 0.0
    high: float = 1.0
    unit: str = ""
    choices: tuple[tuple[str, str], ...] = ()
    when: tuple[str, tuple[str, ...]] | None = None
    """The name of a choice and those ways of it under which the value counts; None for always."""

    def counts(self, choices: Mapping[str, str]) -> bool:
        """Whether the value does anything where ways are chosen like this."""
        return counts(self.when, choices)

    @property
    def bindable(self) -> bool:
        """Whether a parameter can drive the value: numbers and colours, not choices."""
        return self.kind != ValueKind.CHOICE


BLENDING = ValueSpec(
    "blending", "Laid over", ValueKind.CHOICE, NORMAL_MODE, "How the coat's colour is laid over what is under it.",
    choices=tuple((name, mode.label) for name, mode in MODES.items()),
)  # fmt: skip
MIXING = ValueSpec(
    "mixing", "Mixed in", ValueKind.CHOICE, LINEAR_MIXING, "In which numbers both colours are mixed.",
    choices=tuple((name, mixing.label) for name, mixing in MIXINGS.items()),
)  # fmt: skip
STRENGTH = ValueSpec("strength", "Strength", ValueKind.NUMBER, 1.0, "How much of the coat is put on; 0 is none of it.")
COMMON = (BLENDING, MIXING, STRENGTH)
"""What coats have beside what their kinds declare."""


class Reads(StrEnum):
    """How a coat reads a plane.

    As a number, as a colour, as a normal, as the number of a palette's entry, as a strip that is looked up in, or as an
    atlas of tiling cells.
    """

    VALUE = "value"
    COLOUR = "colour"
    NORMAL = "normal"
    ATLAS = "atlas"
    INDEX = "index"
    STRIP = "strip"

    @property
    def lies(self) -> bool:
        """Whether what is read so lies over the sheet, so that it can be tiled, turned and moved."""
        return self in (Reads.VALUE, Reads.COLOUR, Reads.NORMAL)


class Group(StrEnum):
    """What a coat is about; coats are offered in these groups, in this order."""

    COLOUR = "Colour"
    LOOK_UP = "Looked up"
    LAYER = "Layers"
    SURFACE = "Surface"
    LIGHT = "Light"


@dataclass(frozen=True)
class PlaneSpec:
    """A plane that a coat reads: the roles of maps, the kinds of bakes and of tones that suit it, best first."""

    name: str
    label: str
    help: str
    roles: tuple[Role, ...] = ()
    bakes: tuple[str, ...] = ()
    tones: tuple[str, ...] = ()
    reads: Reads = Reads.VALUE
    strips: tuple[PlaneKind, ...] = ()
    when: tuple[str, tuple[str, ...]] | None = None
    needed: bool = True
    """Whether the coat does nothing without it."""

    def counts(self, choices: Mapping[str, str]) -> bool:
        """Whether the plane is read where ways are chosen like this."""
        return counts(self.when, choices)


@dataclass(frozen=True)
class Atlas:
    """Tiling cells that a formula samples: how many there are, and the vec4 of one of them.

    `sample` takes the number of the cell, a place in widths and heights of a cell, and how far that goes in one pixel
    to the right and down. Each cell repeats without end and has mips of its own, so that none bleeds into another.
    Where cells are `square` it does not matter how these steps are turned.
    """

    count: int
    sample: Callable[[Node, Node, tuple[Node, Node]], Node]
    square: bool = False


@dataclass(frozen=True)
class Strip:
    """A strip that a formula looks up in: its slot, its texels in a row, and its rows."""

    slot: str
    count: int
    rows: int

    def look_up(self, position: Operand, row: Operand = 0.0) -> Node:
        """The linear colour at a position 0..1 of the nearest row."""
        return nodes.strip(self.slot, (self.count, self.rows), position, row)["xyz"]


@dataclass(frozen=True)
class IndexMap:
    """An index map that a formula reads: numbers stored spread over 0..1.

    `nearest` and `filtered` are samplings of it at the texel; `around` gives the four texels about it with their shares
    under a linear filter.
    """

    nearest: Node
    filtered: Node
    around: Callable[[], Sequence[tuple[Node, Node]]]


@dataclass(frozen=True)
class CoatInputs:
    """What a formula may use.

    `under` are the outputs under the coat, `base` the sheet's base colour and `mean` the region's weighted mean of the
    colour under the coat, both linear vec3. Colours among `values` are linear vec3, numbers floats. `planes` are the
    values of the planes that it reads, floats 0..1 after their levels; `colours` those that are colours, linear vec3,
    `alphas` how much there is of each of these, and `normals` those that are normals, vec3 with green up; `strips`,
    `indices` and `atlases` those that are more. `as_opened` gives an output as the maps alone say; `changed` are the
    outputs that coats before it have set. `draw` gives a number 0..1 that an instance draws for the coat, under the
    name of what it is drawn for.
    """

    under: Mapping[str, Node]
    base: Node
    mean: Node
    values: Mapping[str, Node]
    choices: Mapping[str, str] = field(default_factory=dict)
    planes: Mapping[str, Node] = field(default_factory=dict)
    strips: Mapping[str, Strip] = field(default_factory=dict)
    indices: Mapping[str, IndexMap] = field(default_factory=dict)
    colours: Mapping[str, Node] = field(default_factory=dict)
    alphas: Mapping[str, Node] = field(default_factory=dict)
    atlases: Mapping[str, Atlas] = field(default_factory=dict)
    as_opened: Callable[[str], Node] = field(default=lambda name: OUTPUTS[name].node)
    changed: frozenset[str] = frozenset()
    draw: Callable[[str], Node] = field(default=lambda what: nodes.constant(0.5))
    normals: Mapping[str, Node] = field(default_factory=dict)

    @property
    def colour(self) -> Node:
        """The colour under the coat, linear vec3."""
        return self.under[COLOUR]

    def output(self, name: str) -> Node:
        """An output under the coat; its default where nothing has set it."""
        return self.under.get(name, OUTPUTS[name].node)


@dataclass(frozen=True)
class CoatKind:
    """A kind of coat; `formula` gives the outputs that it changes, before strength, pattern and clipping to 0..1.

    `promise` names what the coat with these choices promises and clipping would break; "" for nothing.
    """

    name: str
    label: str
    help: str
    values: tuple[ValueSpec, ...]
    formula: Callable[[CoatInputs], Mapping[str, Node]]
    planes: tuple[PlaneSpec, ...] = ()
    promise: Callable[[Mapping[str, str]], str] = field(default=lambda choices: "")
    before_and_after: bool = False
    sets: tuple[str, ...] = (COLOUR,)
    """The outputs that it may change."""
    starts: tuple[tuple[str, Mapping[str, float]], ...] = ()
    """Named sets of values to begin with."""
    share: Callable[[CoatInputs], Node] | None = None
    """How far the coat acts at a texel, 0..1, where its formula works that out."""
    lays_itself: bool = False
    """Whether the formula lays its colour over what is under it, by the way that is chosen (see `mixing`)."""
    share_when: tuple[str, tuple[str, ...]] | None = None
    """The name of a choice and those ways of it under which `share` is not 1 everywhere; None for always."""
    group: Group = Group.COLOUR
    place: int = 99
    """Where it stands in its group."""
    shown: Mapping[str, Setting | str] = field(default_factory=dict)
    """Values with which its small picture shows what it does, where its defaults do little."""

    def varies(self, values: Mapping[str, object]) -> bool:
        """Whether a coat with these values has a share of its own."""
        if self.share is None or self.share_when is None:
            return self.share is not None
        name, ways = self.share_when
        return values.get(name, self.value(name).default) in ways

    def set_by(self, planes: Iterable[str]) -> list[str]:
        """The outputs that a coat may change that reads these planes: some come from planes of the same name alone."""
        own = [spec.name for spec in self.planes]
        there = set(planes)
        return [name for name in self.sets if name not in own or name in there]

    def value(self, name: str) -> ValueSpec:
        """What declares a value. Raises KeyError for a name that the kind does not have."""
        for spec in self.values:
            if spec.name == name:
                return spec
        raise KeyError(name)

    def with_common(self) -> "CoatKind":
        """The kind with the values that all coats have: a strength, and where they set a colour how that is laid on."""
        laid = (BLENDING, MIXING) if COLOUR in self.sets else ()
        return replace(self, values=(*self.values, *laid, STRENGTH))
