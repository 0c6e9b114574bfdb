"""The frozen structs of a material: coats with their values, parameters and variants."""

from enum import StrEnum

import msgspec

Colour = tuple[float, float, float]
"""Encoded sRGB 0..1, as the artist picked it."""

Setting = float | Colour
"""What a parameter can be set to: a number or a colour."""


class ValueKind(StrEnum):
    COLOUR = "colour"
    NUMBER = "number"
    CHOICE = "choice"


class Bound(msgspec.Struct, frozen=True):
    """A coat's value that follows a parameter."""

    parameter: str


Value = float | str | Colour | Bound
"""A coat's value: fixed (a number, a choice, a colour) or bound to a parameter."""


class Coat(msgspec.Struct, frozen=True):
    """What a region wears. Values that are not named keep the defaults of the kind."""

    kind: str
    values: dict[str, Value] = {}


class Parameter(msgspec.Struct, frozen=True):
    """A value that the runtime may set. `name` is an identifier; colours ignore the range."""

    name: str
    kind: ValueKind
    default: Setting
    low: float = 0.0
    high: float = 1.0
    unit: str = ""
    help: str = ""


class Variant(msgspec.Struct, frozen=True):
    """A named set of parameter values on top of its parent's; without a parent, on top of the defaults."""

    name: str
    parent: str | None = None
    values: dict[str, Setting] = {}


class Blending(StrEnum):
    """In which values regions are mixed; linear light is the default."""

    LINEAR = "linear"
    ENCODED = "encoded"
