"""Conversions of colours as graph expressions; the formulas are those of `core.colour`."""

from math import tau

from even_palette.core.colour import luma, oklab, srgb
from even_palette.core.graph.nodes import (
    Node,
    Operand,
    as_node,
    clamp,
    constant,
    cos,
    dot,
    is_constant,
    matrix,
    power,
    select,
    sin,
    step,
)
from even_palette.core.material.input_levels import LEAST_STEP


def curved(x: Node, exponent: Operand) -> Node:
    """x^exponent of 0..1, straight below the first of 255 levels; what 8 bits hold is as without that.

    A power below 1 is without end steep at 0, where filters leave traces of a neighbour.
    """
    if is_constant(as_node(exponent), 1):
        return x
    straight = x * (power(LEAST_STEP, exponent) / LEAST_STEP)
    return select(step(LEAST_STEP, x), power(x, exponent), straight)


def above(x: Node, border: Operand) -> Node:
    """1 from a border on, 0 from one of 255 levels below it, straight between: a threshold of what 8 bits hold."""
    return clamp((x - border) / LEAST_STEP + 1)


def decode(encoded: Node) -> Node:
    """sRGB to linear light (IEC 61966-2-1)."""
    curve = power((encoded + srgb.OFFSET) / (1 + srgb.OFFSET), srgb.GAMMA)
    return select(step(srgb.ENCODED_BREAK, encoded), curve, encoded / srgb.SLOPE)


def encode(linear: Node) -> Node:
    """Linear light to sRGB (IEC 61966-2-1)."""
    curve = power(linear, 1 / srgb.GAMMA) * (1 + srgb.OFFSET) - srgb.OFFSET
    return select(step(srgb.LINEAR_BREAK, linear), curve, linear * srgb.SLOPE)


def luminance(linear: Node) -> Node:
    """Relative luminance (ITU-R BT.709-6)."""
    return dot(linear, constant(*luma.BT709))


def turned(x: Node, y: Node, turn: Node, stretch: Node) -> tuple[Node, Node]:
    """The point (x, y) turned about the origin by whole turns and stretched: hue = atan2(y, x) + turn, chroma times
    stretch, written as a rotation, which needs no angle and so keeps greys and turn 0 exact.
    """
    across, along = cos(turn * tau) * stretch, sin(turn * tau) * stretch
    return x * across - y * along, x * along + y * across


LEAST_LMS = 1e-5
"""No colour that 8 bits hold, but black, has a lesser LMS; below it the cube root goes on straight."""


def to_oklab(linear: Node) -> Node:
    """Linear light to OKLab (Ottosson 2020)."""
    lms = matrix(oklab.RGB_TO_LMS, linear)
    root = select(step(LEAST_LMS, lms), power(lms, 1 / 3), lms * LEAST_LMS ** (-2 / 3))
    return matrix(oklab.LMS_TO_LAB, root)
