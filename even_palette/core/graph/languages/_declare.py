"""What a language declares in which programs are written."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from even_palette.core.graph.types import Type

Plain = Callable[..., str]


@dataclass(frozen=True)
class Form:
    """How an operation is written, with {0}, {1} and so on for the arguments and {kind} for its type.

    `vectors` is the form for vectors where it is another one than for floats. Where the language leaves a case open
    that the table of operations rules, `helper` is a scalar function (from its parameters on) that closes it, spread
    over vectors by the writer; `plain` takes the Bounds of the arguments and gives the form without it where they rule
    the case out, else "".
    """

    text: str
    vectors: str = ""
    helper: str = ""
    plain: Plain | None = None


@dataclass(frozen=True)
class Language:
    """A language: types, numbers, statements, and the forms of operations, choices and look-ups.

    `forms` has every operation of the table but those that need more than their arguments: `swizzle` has {letters} too,
    `matrix` gives the form for nine numbers, row by row. `chosen` are the forms of a choice by `x >= edge`, for floats
    and for vectors. `look_ups` have {slot} for the name of the texture; a strip is a look-up at level 0 there.
    """

    name: str
    types: Mapping[Type, str]
    number: Callable[[float], str]
    forms: Mapping[str, Form]
    matrix: Callable[[Sequence[float]], str]
    chosen: tuple[str, str]
    held: str
    """A value held between two numbers of which the first is the less: {0}, {1} and {2}."""
    look_ups: Mapping[str, str]
    statement: str
    """Of a value: {kind}, {name} and {value}."""
    comment: str
    uniform: str
    """A declaration of a value that is the same at every texel: {kind} and {name}."""
    slot: tuple[str, str]
    """A declaration of a texture, and of an array of them: {name}."""
    fetch: str
    """One texel of a texture without filter or levels: {slot}, {x} and {y}."""
    function: str
    """A function that spreads a helper over a vector: {kind}, {name}, {parameters} and {value}."""
    parameter: str
    """A parameter of that: {kind} and {name}."""

    def literal(self, kind: Type, components: Sequence[float]) -> str:
        """A constant; one component where all are the same."""
        if kind == Type.FLOAT:
            return self.number(components[0])
        if len(set(components)) == 1:
            return f"{self.types[kind]}({self.number(components[0])})"
        return f"{self.types[kind]}({', '.join(map(self.number, components))})"
