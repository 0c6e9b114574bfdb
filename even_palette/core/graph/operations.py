"""The table of operations: each row defines one for all back ends.

A row gives the NumPy function on float32 arrays (floats as (...), vectors as (..., n)), and the GLSL expression with
{0}, {1} and so on for the arguments. Where runtimes differ or leave a case open (division by zero, powers of 0 and
of negative numbers, angles of signed zeros), one rule stands here in each form, and
`helper` is a scalar GLSL function that closes it, spread over vectors by the emitter. `plain` gives the GLSL that does
without where the bounds of the arguments rule the case out.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from even_palette.core.arrays import Floats, float32
from even_palette.core.graph.types import Payload, Type

Evaluate = Callable[..., Floats]
Plain = Callable[..., str]
LEAST_LOG = 1e-30
"""Logarithms of less than this are those of this."""
LEAST_PLAIN = 0.25
"""Runtimes write powers as 2^(e log2 x). For exponents from here on that of 0 is 0 whatever they take its log2 for."""


@dataclass(frozen=True)
class Operation:
    """One row: its form for NumPy, for GLSL, and for compiled loops, where it is scalar.

    `componentwise` operations take equal types and give that type; `vectors` is the GLSL form for these where it is
    another one than for floats. `plain` takes the Bounds of the arguments, and gives "" where the case may come.
    """

    name: str
    arity: int
    evaluate: Evaluate
    glsl: str
    loop: str = ""
    helper: str = ""
    componentwise: bool = True
    plain: Plain | None = None
    vectors: str = ""


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
        Operation("add", 2, lambda a, b: a + b, "({0} + {1})", "({0} + {1})"),
        Operation("subtract", 2, lambda a, b: a - b, "({0} - {1})", "({0} - {1})"),
        Operation("multiply", 2, lambda a, b: a * b, "({0} * {1})", "({0} * {1})"),
        Operation(
            "divide",
            2,
            _divide,
            "ep_divide({0}, {1})",
            "divided({0}, {1})",
            "(float a, float b) { return b == 0.0 ? 0.0 : a / b; }",
            plain=lambda a, b: "({0} / {1})" if b.low > 0 or b.high < 0 else "",
        ),
        Operation("minimum", 2, np.minimum, "min({0}, {1})", "min({0}, {1})"),
        Operation("maximum", 2, np.maximum, "max({0}, {1})", "max({0}, {1})"),
        Operation(
            "clamp",
            3,
            lambda x, a, b: np.minimum(np.maximum(x, a), b),
            "min(max({0}, {1}), {2})",
            "min(max({0}, {1}), {2})",
            plain=lambda x, low, high: "clamp({0}, {1}, {2})" if low.high <= high.low else "",
        ),
        Operation(
            "mix", 3, lambda a, b, t: a * (1 - t) + b * t, "mix({0}, {1}, {2})", "({0} * (ONE - {2}) + {1} * {2})"
        ),
        Operation("step", 2, lambda edge, x: float32(x >= edge), "step({0}, {1})", "(ONE if {1} >= {0} else ZERO)"),
        Operation(
            "equal",
            2,
            lambda a, b: float32(a == b),
            "float({0} == {1})",
            "(ONE if {0} == {1} else ZERO)",
            vectors="{kind}(equal({0}, {1}))",
        ),
        Operation(
            "smoothstep",
            3,
            _smoothstep,
            "ep_smoothstep({0}, {1}, {2})",
            "smooth({0}, {1}, {2})",
            "(float a, float b, float x) { return a >= b ? step(a, x) : smoothstep(a, b, x); }",
            plain=lambda a, b, x: "smoothstep({0}, {1}, {2})" if a.high < b.low else "",
        ),
        Operation("abs", 1, np.abs, "abs({0})", "abs({0})"),
        Operation(
            "sqrt",
            1,
            lambda x: np.sqrt(np.maximum(x, 0)),
            "ep_sqrt({0})",
            "np.sqrt(max({0}, ZERO))",
            "(float x) { return sqrt(max(x, 0.0)); }",
            plain=lambda x: "sqrt({0})" if x.low >= 0 else "",
        ),
        Operation(
            "pow",
            2,
            _power,
            "ep_pow({0}, {1})",
            "power({0}, {1})",
            "(float x, float e) { return x > 0.0 ? pow(x, e) : (e == 0.0 ? 1.0 : 0.0); }",
            plain=lambda x, e: (
                "" if e.low < LEAST_PLAIN else "pow({0}, {1})" if x.low >= 0 else "pow(max({0}, 0.0), {1})"
            ),
        ),
        Operation(
            "log2",
            1,
            lambda x: np.log2(np.maximum(x, np.float32(LEAST_LOG))),
            "ep_log2({0})",
            "np.log2(max({0}, LEAST_LOG))",
            "(float x) { return log2(max(x, 1e-30)); }",
            plain=lambda x: "log2({0})" if x.low >= LEAST_LOG else "",
        ),
        Operation("floor", 1, np.floor, "floor({0})", "np.floor({0})"),
        Operation("fract", 1, lambda x: x - np.floor(x), "fract({0})", "({0} - np.floor({0}))"),
        Operation("sin", 1, np.sin, "sin({0})", "np.sin({0})"),
        Operation("cos", 1, np.cos, "cos({0})", "np.cos({0})"),
        Operation(
            "atan2",
            2,
            _angle,
            "ep_atan2({0}, {1})",
            "angle({0}, {1})",
            "(float y, float x) { return y == 0.0 ? (x < 0.0 ? 3.14159274 : 0.0) : atan(y, x); }",
        ),
        Operation(
            "select",
            3,
            lambda c, a, b: float32(np.where(c > 0.5, a, b)),
            "({0} > 0.5 ? {1} : {2})",
            "({1} if {0} > HALF else {2})",
            vectors="mix({2}, {1}, greaterThan({0}, {kind}(0.5)))",
        ),
        Operation("length", 1, lambda x: np.sqrt((x * x).sum(axis=-1)), "length({0})", componentwise=False),
        Operation("dot", 2, lambda a, b: (a * b).sum(axis=-1), "dot({0}, {1})", componentwise=False),
        Operation("matrix", 1, _matrix, "({matrix} * {0})", componentwise=False),
        Operation("swizzle", 1, _swizzle, "{0}.{payload}", componentwise=False),
    )
}
"""Operations on values. `join` and the texture look-ups need a context and stand in each back end."""


@dataclass(frozen=True)
class Input:
    """A row for what a runtime gives: its type, its GLSL name, and its declaration where that is a uniform.

    Without a declaration the text around has it in scope.
    """

    name: str
    type: Type
    glsl: str
    declaration: str = ""


INPUTS: dict[str, Input] = {
    row.name: row
    for row in (
        Input("uv", Type.VEC2, "uv"),
        Input("pixel", Type.VEC4, "pixel"),
        Input("seed", Type.FLOAT, "instance_seed", "uniform float instance_seed;"),
        Input("time", Type.FLOAT, "time", "uniform float time;"),
    )
}
"""The sheet's texture coordinate, how it changes by one pixel to the right (xy) and down (zw), the instance's random
number 0..1, and the time in seconds."""


def fits(name: str, args: tuple[Type, ...], declared: Type) -> bool:
    """Whether `declared` can be the type of this operation of the table on arguments of these types."""
    row = TABLE[name]
    return len(args) == row.arity and (not row.componentwise or all(kind == declared for kind in args))
