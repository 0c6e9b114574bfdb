"""Conversions of colours as graph expressions; the formulas are those of `core.colour`."""

from math import tau

from even_palette.core.colour import luma, oklab, srgb, yiq
from even_palette.core.graph.nodes import (
    Node,
    Operand,
    absolute,
    as_node,
    channels,
    clamp,
    constant,
    cos,
    dot,
    fract,
    is_constant,
    join,
    matrix,
    maximum,
    minimum,
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


def above(x: Node, border: float) -> Node:
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


def shift_yiq(linear: Node, turn: Node, saturation: Node, brightness: Node) -> Node:
    """Hue rotation, saturation factor and brightness offset in YIQ: hue = atan2(Q, I), chroma = length(I, Q)."""
    luma_node, i, q = channels(matrix(yiq.RGB_TO_YIQ, encode(linear)))
    shifted = join(luma_node + brightness, *turned(i, q, turn, saturation))
    return decode(clamp(matrix(yiq.YIQ_TO_RGB, shifted)))


def shift_hsl(linear: Node, turn: Node, saturation: Node, brightness: Node) -> Node:
    """The same in HSL of encoded R'G'B'; saturation and lightness are clipped to 0..1."""
    encoded = encode(linear)
    red, green, blue = channels(encoded)
    high = maximum(maximum(red, green), blue)
    low = minimum(minimum(red, green), blue)
    chroma, lightness = high - low, (high + low) / 2
    sector = select(
        step(high, red),
        (green - blue) / chroma,
        select(step(high, green), (blue - red) / chroma + 2, (red - green) / chroma + 4),
    )
    hue = fract(sector / 6 + turn)
    # Near black and white any chroma is the most there is: a millionth beside an outline would become full colour.
    room = maximum(1 - absolute(lightness * 2 - 1), LEAST_STEP)
    new_saturation = clamp(chroma / room * saturation)
    new_lightness = clamp(lightness + brightness)
    new_chroma = (1 - absolute(new_lightness * 2 - 1)) * new_saturation
    position = fract(join(hue, hue, hue) + constant(0, 4 / 6, 2 / 6)) * 6
    wave = clamp(absolute(position - 3) - 1)
    return decode(clamp(new_lightness - new_chroma / 2 + wave * new_chroma))


LEAST_LMS = 1e-5
"""No colour that 8 bits hold, but black, has a lesser LMS; below it the cube root goes on straight."""


def to_oklab(linear: Node) -> Node:
    """Linear light to OKLab (Ottosson 2020)."""
    lms = matrix(oklab.RGB_TO_LMS, linear)
    root = select(step(LEAST_LMS, lms), power(lms, 1 / 3), lms * LEAST_LMS ** (-2 / 3))
    return matrix(oklab.LMS_TO_LAB, root)


def shift_oklch(linear: Node, turn: Node, saturation: Node, brightness: Node) -> Node:
    """The same in OKLCh; what leaves the gamut is clipped by channel."""
    lightness, a, b = channels(to_oklab(linear))
    shifted = join(lightness + brightness, *turned(a, b, turn, saturation))
    lms = matrix(oklab.LAB_TO_LMS, shifted)
    return clamp(matrix(oklab.LMS_TO_RGB, lms * lms * lms))
