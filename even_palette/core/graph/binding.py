"""Where a written program gets its parameters, the seed and the time from."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Protocol

import numpy as np

from even_palette.core.arrays import Floats
from even_palette.core.graph.languages import Language
from even_palette.core.graph.program import Program
from even_palette.core.graph.types import CHANNELS, Type, in_vectors

UNIFORM_PREFIX, TEXTURE_PREFIX = "p_", "t_"
TIME = "time"
SHARED = {"seed": "instance_seed", "time": TIME}
"""What the uniforms of the seed and of the time are called."""
Setting = float | tuple[float, ...]


def uniform_name(parameter: str) -> str:
    """What the uniform of a parameter is called."""
    return UNIFORM_PREFIX + parameter


def texture_name(slot: str) -> str:
    """What the texture of a slot is called."""
    return TEXTURE_PREFIX + slot


class Binding(Protocol):
    """Gives what a program reads beside its slots."""

    @property
    def same_everywhere(self) -> bool:
        """Whether all texels of a drawing read the same."""
        ...

    def text(self, language: Language, name: str, kind: Type) -> str:
        """The expression for a parameter by its name, or for "seed" or "time"."""
        ...

    def declared(self, language: Language, program: Program) -> list[str]:
        """Declarations that the expressions need, outside of the function."""
        ...

    def before(self, language: Language, program: Program) -> list[str]:
        """Statements that the expressions need, first in the body."""
        ...


@dataclass(frozen=True)
class Uniforms:
    """A uniform each, named p_<parameter>, `instance_seed` and `time`: one asset, whose host sets them."""

    same_everywhere: bool = True

    def text(self, language: Language, name: str, kind: Type) -> str:
        """The name of the uniform."""
        return SHARED.get(name) or uniform_name(name)

    def declared(self, language: Language, program: Program) -> list[str]:
        """The uniforms."""
        given = [(SHARED[name], Type.FLOAT) for name in program.inputs if name in SHARED]
        given += [(uniform_name(name), kind) for name, kind in program.parameters.items()]
        return [language.uniform.format(kind=language.types[kind], name=name) for name, kind in given]

    def before(self, language: Language, program: Program) -> list[str]:
        """Nothing."""
        return []


@dataclass(frozen=True)
class Constants:
    """Fixed numbers, of parameters by name, seed and time: what a bake of one variant reads."""

    values: Mapping[str, Setting] = field(default_factory=dict)
    seed: float = 0.0
    time: float = 0.0
    same_everywhere: bool = True

    def text(self, language: Language, name: str, kind: Type) -> str:
        """The number or vector as a literal. Raises KeyError for a parameter that has no value."""
        value = {**self.values, "seed": self.seed, "time": self.time}[name]
        return language.literal(kind, value if isinstance(value, tuple) else (float(value),))

    def declared(self, language: Language, program: Program) -> list[str]:
        """Nothing."""
        return []

    def before(self, language: Language, program: Program) -> list[str]:
        """Nothing."""
        return []


@dataclass(frozen=True)
class Rows:
    """A row of a texture for each instance, its number being an `instance` (an int) in scope: a crowd in one drawing.

    `places` gives the column of four and the channels of each parameter and of "seed"; the time is a uniform, and so
    are parameters without a place, which all instances share.
    """

    places: Mapping[str, tuple[int, str]]
    texture: str = "instance_rows"
    same_everywhere: bool = False

    @staticmethod
    def of(parameters: Mapping[str, Type]) -> "Rows":
        """Rows that hold these parameters and the seed, packed in their order; none lies in two columns."""
        return Rows(in_vectors({**parameters, "seed": Type.FLOAT}))

    @property
    def columns(self) -> int:
        """The width of the texture."""
        return 1 + max(column for column, _ in self.places.values())

    def packed(self, instances: Sequence[tuple[Mapping[str, Setting], float]]) -> Floats:
        """The texture (N, columns, 4) float32, from the values of parameters and the seed of each instance."""
        found = np.zeros((len(instances), self.columns, len(CHANNELS)), np.float32)
        for row, (values, seed) in enumerate(instances):
            for name, (column, channels) in self.places.items():
                first = CHANNELS.index(channels[0])
                value = seed if name == "seed" else values[name]
                found[row, column, first : first + len(channels)] = value
        return found

    def text(self, language: Language, name: str, kind: Type) -> str:
        """Channels of a column."""
        if name not in self.places:
            return SHARED.get(name) or uniform_name(name)
        column, channels = self.places[name]
        return f"row_{column}.{channels}"

    def declared(self, language: Language, program: Program) -> list[str]:
        """The texture, and the time where it is read."""
        shared = [(TIME, Type.FLOAT)] if "time" in program.inputs else []
        shared += [(uniform_name(name), kind) for name, kind in program.parameters.items() if name not in self.places]
        given = [language.uniform.format(kind=language.types[kind], name=name) for name, kind in shared]
        return [language.slot[0].format(name=self.texture), *given]

    def before(self, language: Language, program: Program) -> list[str]:
        """The columns that are read, each fetched once."""
        read = [*program.parameters, *(["seed"] if "seed" in program.inputs else [])]
        columns = sorted({self.places[name][0] for name in read if name in self.places})
        fetch = [language.fetch.format(slot=self.texture, x=column, y="instance") for column in columns]
        kind = language.types[Type.VEC4]
        return [
            language.statement.format(kind=kind, name=f"row_{column}", value=value)
            for column, value in zip(columns, fetch, strict=True)
        ]


UNIFORMS = Uniforms()
