"""The numbers of a plane that a coat reads, as values of the coat: fixed where the plane is chosen, or bound like any.

A number that is fixed stands in the use of the plane (see `PlaneUse`) and costs nothing at runtime. One that follows a
parameter, or that a wearer of a recipe sets itself, stands among the values of the coat under the plane's name and its
own, such as `mask_turn`; that of the pattern as `pattern_turn`.
"""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache

from msgspec.structs import replace

from even_palette.core.limits import FASTEST, LEAST_TILING, MOST_TILING
from even_palette.core.material.declare import CoatKind, PlaneSpec, Reads, ValueSpec
from even_palette.core.material.model import Bound, Coat, PlaneKind, PlaneRef, PlaneUse, Value, ValueKind

PATTERN = "pattern"
AS_IT_IS = PlaneUse(PlaneRef(PlaneKind.MAP, "any"))
"""A plane whose numbers are those that it has without a word."""


@dataclass(frozen=True)
class PlaneNumber:
    """One number of a use: its name, what it is called, its range, and how it is read from a use and put into one."""

    name: str
    label: str
    help: str
    low: float
    high: float
    unit: str
    get: Callable[[PlaneUse], float]
    put: Callable[[PlaneUse, float], PlaneUse]
    is_level: bool = False
    """Whether it is about values, which planes of colour have none of."""


def _plain(
    name: str, label: str, told: str, low: float, high: float, unit: str = "", level: bool = False
) -> PlaneNumber:
    return PlaneNumber(
        name, label, told, low, high, unit,
        lambda use: float(getattr(use, name)), lambda use, value: replace(use, **{name: value}), level,
    )  # fmt: skip


def _both(
    field: str, label: str, told: str, low: float, high: float, unit: str = "", right: str = "right"
) -> list[PlaneNumber]:
    """The two numbers of a pair: across and down."""

    def one(place: int, way: str, called: str) -> PlaneNumber:
        def put(use: PlaneUse, value: float) -> PlaneUse:
            pair = list(getattr(use, field))
            pair[place] = value
            return replace(use, **{field: tuple(pair)})

        return PlaneNumber(
            f"{field}_{way}", f"{label} {called}", f"{told}, {called}.", low, high, unit,
            lambda use: float(getattr(use, field)[place]), put,
        )  # fmt: skip

    return [one(0, "across", right), one(1, "down", "down")]


NUMBERS = (
    _plain("low", "Low", "The value that counts as 0.", 0.0, 1.0, level=True),
    _plain("high", "High", "The value that counts as 1.", 0.0, 1.0, level=True),
    _plain("power", "Power", "Above 1 darkens the middle, below 1 lightens it.", 0.01, 100.0, level=True),
    *_both("tiling", "Tiles", "How often it lies over the sheet", LEAST_TILING, MOST_TILING, "×", "across"),
    _plain("turn", "Turn", "How far it is turned about the middle of the sheet.", -360.0, 360.0, "°"),
    *_both("offset", "Offset", "How many of its own sizes it is moved", -1.0, 1.0),
    *_both("speed", "Moves", "How many of its own sizes it goes in a second", -FASTEST, FASTEST, "/s"),
)


def numbers_of(kind: CoatKind) -> dict[str, tuple[str, PlaneNumber, ValueSpec]]:
    """By the name of the value: the plane that it is of, the number, and what declares it as a value of such coats."""
    return _numbers_of((*kind.planes, PlaneSpec(PATTERN, "Pattern", "")))


@cache
def _numbers_of(planes: tuple[PlaneSpec, ...]) -> dict[str, tuple[str, PlaneNumber, ValueSpec]]:
    found = {}
    for plane in (each for each in planes if each.reads.lies):
        for number in NUMBERS:
            if number.is_level and plane.reads != Reads.VALUE:
                continue
            name = f"{plane.name}_{number.name}"
            label = f"{plane.label}: {number.label.lower()}"
            default = number.get(AS_IT_IS)
            spec = ValueSpec(
                name,
                label,
                ValueKind.NUMBER,
                default,
                number.help,
                number.low,
                number.high,
                number.unit,
                when=plane.when,
            )
            found[name] = plane.name, number, spec
    return found


def spec_named(kind: CoatKind, name: str) -> ValueSpec:
    """What declares a value of a kind of coat, or a number of a plane that it reads. Raises KeyError."""
    numbers = numbers_of(kind)
    return numbers[name][2] if name in numbers else kind.value(name)


def has_value(kind: CoatKind, name: str) -> bool:
    """Whether coats of a kind have a value, or a number of a plane, of a name."""
    return name in numbers_of(kind) or name in [spec.name for spec in kind.values]


def is_number(name: str) -> bool:
    """Whether a value is, or may be, a number of a plane, by its name."""
    return any(name.endswith(f"_{number.name}") for number in NUMBERS)


def plane_of(coat: Coat, plane: str) -> PlaneUse | None:
    """The plane that a coat reads under a name, the pattern as PATTERN."""
    return coat.pattern if plane == PATTERN else coat.planes.get(plane)


def value_in(kind: CoatKind, coat: Coat, name: str) -> Value:
    """What a coat of a kind has for a value, or a number of a plane. Raises KeyError."""
    spec = spec_named(kind, name)
    if name in coat.values:
        return coat.values[name]
    if name not in numbers_of(kind):
        return spec.default
    plane, number, _ = numbers_of(kind)[name]
    use = plane_of(coat, plane)
    return spec.default if use is None else number.get(use)


def with_value_in(kind: CoatKind, coat: Coat, name: str, value: Value) -> Coat:
    """The coat with a value; a number of a plane that is fixed goes into the use of the plane."""
    if name not in numbers_of(kind) or isinstance(value, Bound):
        return replace(coat, values={**coat.values, name: value})
    plane, number, _ = numbers_of(kind)[name]
    use = plane_of(coat, plane)
    if use is None:
        return coat
    assert isinstance(value, float | int)
    coat = replace(coat, values={other: old for other, old in coat.values.items() if other != name})
    use = number.put(use, float(value))
    return replace(coat, pattern=use) if plane == PATTERN else replace(coat, planes={**coat.planes, plane: use})


def without_idle_numbers(kind: CoatKind, coat: Coat) -> Coat:
    """The coat without numbers of planes that it does not read."""
    numbers = numbers_of(kind)
    idle = [name for name in coat.values if name in numbers and plane_of(coat, numbers[name][0]) is None]
    return replace(coat, values={n: value for n, value in coat.values.items() if n not in idle}) if idle else coat
