"""The table of operations: each row defines one, for the reference and for compiled loops.

A row gives the NumPy function on float32 arrays (floats as (...), vectors as (..., n)), and the scalar expression of
loops with {0}, {1} and so on for the arguments. Where runtimes differ or leave a case open (division by zero, powers of
0 and of negative numbers, angles of signed zeros), one rule stands here. How other languages write an operation stands
in `languages`.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from even_palette.core.arrays import Floats, float32
from even_palette.core.graph.types import Payload, Type

Evaluate = Callable[..., Floats]
LEAST_LOG = 1e-30
"""Logarithms of less than this are those of this."""


@dataclass(frozen=True)
class Operation:
    """One row: its form for NumPy, and for compiled loops, where it is scalar.

    `componentwise` operations take equal types and give that type.
    """

    name: str
    arity: int
    evaluate: Evaluate
    loop: str = ""
    componentwise: bool = True


def _divide(a: Floats, b: Floats) -> Floats:
    zero = b == 0
    return float32(np.where(zero, 0, a / np.where(zero, 1, b)))


def _smoothstep(low: Floats, high: Floats, x: Floats) -> Floats:
    t = np.clip(_divide(x - low, high - low), 0, 1)
    return float32(np.where(low >= high, x >= low, t * t * (3 - 2 * t)))


def _power(x: Floats, exponent: Floats) -> Floats:
    base = np.maximum(x, 0)
    return float32(np.where(base > 0, base**exponent, exponent == 0))


def _angle(y: Floats, x: Floats) -> Floats:
    return float32(np.where((y == 0) & (x == 0), 0, np.arctan2(y + np.float32(0), x)))


def _matrix(x: Floats, payload: Payload) -> Floats:
    return float32(x @ np.array(payload, dtype=np.float32).reshape(3, 3).T)


def _swizzle(x: Floats, payload: Payload) -> Floats:
    picked = ["xyzw".index(letter) for letter in str(payload[0])]
    return x[..., picked[0]] if len(picked) == 1 else x[..., picked]


TABLE: dict[str, Operation] = {
    row.name: row
    for row in (
        Operation("add", 2, lambda a, b: a + b, "({0} + {1})"),
        Operation("subtract", 2, lambda a, b: a - b, "({0} - {1})"),
        Operation("multiply", 2, lambda a, b: a * b, "({0} * {1})"),
        Operation("divide", 2, _divide, "divided({0}, {1})"),
        Operation("minimum", 2, np.minimum, "min({0}, {1})"),
        Operation("maximum", 2, np.maximum, "max({0}, {1})"),
        Operation("clamp", 3, lambda x, a, b: np.minimum(np.maximum(x, a), b), "min(max({0}, {1}), {2})"),
        Operation("mix", 3, lambda a, b, t: a * (1 - t) + b * t, "({0} * (ONE - {2}) + {1} * {2})"),
        Operation("step", 2, lambda edge, x: float32(x >= edge), "(ONE if {1} >= {0} else ZERO)"),
        Operation("equal", 2, lambda a, b: float32(a == b), "(ONE if {0} == {1} else ZERO)"),
        Operation("smoothstep", 3, _smoothstep, "smooth({0}, {1}, {2})"),
        Operation("abs", 1, np.abs, "abs({0})"),
        Operation("sqrt", 1, lambda x: np.sqrt(np.maximum(x, 0)), "np.sqrt(max({0}, ZERO))"),
        Operation("pow", 2, _power, "power({0}, {1})"),
        Operation("log2", 1, lambda x: np.log2(np.maximum(x, np.float32(LEAST_LOG))), "np.log2(max({0}, LEAST_LOG))"),
        Operation("floor", 1, np.floor, "np.floor({0})"),
        Operation("fract", 1, lambda x: x - np.floor(x), "({0} - np.floor({0}))"),
        Operation("sin", 1, np.sin, "np.sin({0})"),
        Operation("cos", 1, np.cos, "np.cos({0})"),
        Operation("atan2", 2, _angle, "angle({0}, {1})"),
        Operation("select", 3, lambda c, a, b: float32(np.where(c > 0.5, a, b)), "({1} if {0} > HALF else {2})"),
        Operation("length", 1, lambda x: np.sqrt((x * x).sum(axis=-1)), componentwise=False),
        Operation("dot", 2, lambda a, b: (a * b).sum(axis=-1), componentwise=False),
        Operation("matrix", 1, _matrix, componentwise=False),
        Operation("swizzle", 1, _swizzle, componentwise=False),
    )
}
"""Operations on values. `join` and the texture look-ups need a context and stand in each back end."""


INPUTS: dict[str, Type] = {
    "uv": Type.VEC2, "pixel": Type.VEC4, "screen": Type.VEC2, "seed": Type.FLOAT, "time": Type.FLOAT,
}  # fmt: skip
"""The sheet's texture coordinate, how it changes by one pixel to the right (xy) and down (zw), the column and row of
the pixel that is drawn, the instance's random number 0..1, and the time in seconds."""


def fits(name: str, args: tuple[Type, ...], declared: Type) -> bool:
    """Whether `declared` can be the type of this operation of the table on arguments of these types."""
    row = TABLE[name]
    return len(args) == row.arity and (not row.componentwise or all(kind == declared for kind in args))
