"""How a kind of coat is declared: its values as data, its formula as graph expressions."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace

from even_palette.core.graph.nodes import Node
from even_palette.core.material.model import Setting, ValueKind
from even_palette.core.material.outputs import COLOUR, OUTPUTS
from even_palette.core.raster.guess import Role


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

    @property
    def bindable(self) -> bool:
        """Whether a parameter can drive the value: numbers and colours, not choices."""
        return self.kind != ValueKind.CHOICE


STRENGTH = ValueSpec("strength", "Strength", ValueKind.NUMBER, 1.0, "How much of the coat is put on; 0 is none of it.")


@dataclass(frozen=True)
class PlaneSpec:
    """A plane that a coat reads: the roles of maps and the kinds of bakes that suit it, best first."""

    name: str
    label: str
    help: str
    roles: tuple[Role, ...] = ()
    bakes: tuple[str, ...] = ()


@dataclass(frozen=True)
class CoatInputs:
    """What a formula may use.

    `under` are the outputs under the coat, `base` the sheet's base colour and `mean` the region's weighted mean of the
    colour under the coat, both linear vec3. Colours among `values` are linear vec3, numbers floats. `planes` are the
    values of the planes that it reads, floats 0..1 after their levels.
    """

    under: Mapping[str, Node]
    base: Node
    mean: Node
    values: Mapping[str, Node]
    choices: Mapping[str, str] = field(default_factory=dict)
    planes: Mapping[str, Node] = field(default_factory=dict)

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

    def value(self, name: str) -> ValueSpec:
        """What declares a value. Raises KeyError for a name that the kind does not have."""
        for spec in self.values:
            if spec.name == name:
                return spec
        raise KeyError(name)

    def with_strength(self) -> "CoatKind":
        """The kind with the value that all coats have."""
        return replace(self, values=(*self.values, STRENGTH))
