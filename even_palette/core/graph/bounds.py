"""Between which numbers the values of a node lie, as far as that is known before anything is computed.

What is known to lie within its bounds is not held there again, and needs no guard against cases that cannot be. A bound
counts for all components, and is right but for the rounding of float32.
"""

from collections.abc import Sequence
from math import inf, isnan, tau
from typing import NamedTuple

from even_palette.core.graph.types import Payload


class Bounds(NamedTuple):
    """The least and the greatest value of all components."""

    low: float
    high: float

    def within(self, low: float, high: float) -> bool:
        """Whether all values lie between two numbers."""
        return self.low >= low - ROUNDING and self.high <= high + ROUNDING


ROUNDING = 2.0**-20
UNKNOWN, UNIT = Bounds(-inf, inf), Bounds(0.0, 1.0)
KNOWN = {
    "fract": UNIT, "step": UNIT, "equal": UNIT, "smoothstep": UNIT, "weight": UNIT, "length": Bounds(0.0, inf),
    "sin": Bounds(-1.0, 1.0), "cos": Bounds(-1.0, 1.0), "atan2": Bounds(-tau / 2, tau / 2),
    "strip": UNIT,  # colours of palettes and ramps
}  # fmt: skip
"""Of operations that give such values whatever they are given."""


def bounds_of(op: str, payload: Payload, args: Sequence[Bounds]) -> Bounds:
    """The bounds of a node from those of its arguments."""
    if op in KNOWN:
        return KNOWN[op]
    match op, args:
        case "constant", _:
            numbers = [float(value) for value in payload]
            return Bounds(min(numbers), max(numbers))
        case (("join" | "swizzle"), _):
            return _around(args)
        case "add", (a, b):
            return _known(a.low + b.low, a.high + b.high)
        case "subtract", (a, b):
            return _known(a.low - b.high, a.high - b.low)
        case "multiply", (a, b):
            return _product(a, b)
        case "divide", (a, b) if b.low > 0 or b.high < 0:
            return _product(a, Bounds(1 / b.high, 1 / b.low))
        case "minimum", (a, b):
            return Bounds(min(a.low, b.low), min(a.high, b.high))
        case "maximum", (a, b):
            return Bounds(max(a.low, b.low), max(a.high, b.high))
        case "clamp", (x, a, b):
            return Bounds(min(max(x.low, a.low), b.low), min(max(x.high, a.high), b.high))
        case "mix", (a, b, share) if share.within(0, 1):
            return _around((a, b))
        case "select", (_, a, b):
            return _around((a, b))
        case "abs", (x,):
            return Bounds(max(x.low, -x.high, 0.0), max(-x.low, x.high))
        case "sqrt", (x,):
            return Bounds(max(x.low, 0.0) ** 0.5, max(x.high, 0.0) ** 0.5)
        case "floor", (x,):
            return Bounds(x.low - 1, x.high)
        case "pow", (x, exponent) if exponent.low > 0 and x.high <= 1 + ROUNDING:
            return UNIT
        case "pow", _:
            return Bounds(0.0, inf)
        case "dot", (a, b) if a.low >= 0 and b.low >= 0:
            return Bounds(0.0, inf)
        case "matrix", (x,):
            rows = [[float(m) for m in payload[row * 3 : row * 3 + 3]] for row in range(3)]
            ends = [[sorted((m * x.low, m * x.high)) if m else [0.0, 0.0] for m in row] for row in rows]
            return _known(
                min(sum(low for low, _ in row) for row in ends), max(sum(high for _, high in row) for row in ends)
            )
    return UNKNOWN


def _around(several: Sequence[Bounds]) -> Bounds:
    return Bounds(min(each.low for each in several), max(each.high for each in several))


def _product(a: Bounds, b: Bounds) -> Bounds:
    ends = [x * y for x in a for y in b]
    return UNKNOWN if any(map(isnan, ends)) else Bounds(min(ends), max(ends))


def _known(low: float, high: float) -> Bounds:
    return Bounds(-inf if isnan(low) else low, inf if isnan(high) else high)
