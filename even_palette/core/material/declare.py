"""How a kind of coat is declared: its values as data, its formula as graph expressions."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

from even_palette.core.graph.nodes import Node
from even_palette.core.material.model import Setting, ValueKind


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
        return self.kind != ValueKind.CHOICE


@dataclass(frozen=True)
class CoatInputs:
    """What a formula may use: the base colour and the region's weighted mean of it (linear vec3), and the values.

    Colours among `values` are linear vec3, numbers are floats.
    """

    base: Node
    mean: Node
    values: Mapping[str, Node]
    choices: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class CoatKind:
    """A kind of coat; `formula` gives the region's colour, linear vec3, before it is clipped to 0..1."""

    name: str
    label: str
    help: str
    values: tuple[ValueSpec, ...]
    formula: Callable[[CoatInputs], Node]

    def value(self, name: str) -> ValueSpec:
        return next(spec for spec in self.values if spec.name == name)
