"""Small functions that compiled loops call: each is compiled once in a process, however many loops there are.

Only loops import this: Numba takes half a second at start.
"""

from collections.abc import Callable
from functools import cache
from typing import Any

import numba as nb
import numpy as np

from even_palette.core.graph.operations import LEAST_LOG as _LEAST_LOG

INNER = {"no_cpython_wrapper": True, "no_cfunc_wrapper": True}
"""They are called by loops alone."""
ZERO, HALF, ONE, TWO, THREE = (np.float32(value) for value in (0, 0.5, 1, 2, 3))
LEAST_LOG = np.float32(_LEAST_LOG)
PI = np.float32(np.pi)
MOST_LEVEL = np.float32(255)


@nb.njit(**INNER)
def divided(a, b):  # type: ignore[no-untyped-def]
    """A quotient; 0 by 0."""
    return ZERO if b == ZERO else a / b


@nb.njit(**INNER)
def power(x, e):  # type: ignore[no-untyped-def]
    """A power of what is not below 0."""
    return x**e if x > ZERO else (ONE if e == ZERO else ZERO)


@nb.njit(**INNER)
def angle(y, x):  # type: ignore[no-untyped-def]
    """The angle of a direction."""
    return (PI if x < ZERO else ZERO) if y == ZERO else np.arctan2(y, x)


@nb.njit(**INNER)
def smooth(a, b, x):  # type: ignore[no-untyped-def]
    """A smooth step."""
    if a >= b:
        return ONE if x >= a else ZERO
    t = min(max((x - a) / (b - a), ZERO), ONE)
    return t * t * (THREE - TWO * t)


@nb.njit(**INNER)
def held(n, count, repeat):  # type: ignore[no-untyped-def]
    """The number of a texel that lies within a plane."""
    return n % count if repeat else min(max(n, 0), count - 1)


@nb.njit(**INNER)
def encoded8(x, table, edges):  # type: ignore[no-untyped-def]
    """Linear light as a level of encoded sRGB."""
    x = min(max(x, ZERO), ONE)
    part = np.uint32(x * np.float32(4095))
    return np.uint8(table[part] + (x >= edges[part]))


@nb.njit(**INNER)
def level8(x):  # type: ignore[no-untyped-def]
    """A value as one of 256 levels."""
    return np.uint8(min(max(x, ZERO), ONE) * MOST_LEVEL + HALF)


BETWEEN = """\
    if {near!r} == "near":
        i, j = held(int(np.floor(v * h)), h, {repeat}), held(int(np.floor(u * w)), w, {repeat})
        return FETCH(i, j)
    x, y = u * np.float32(w) - HALF, v * np.float32(h) - HALF
    left, top = np.floor(x), np.floor(y)
    fx, fy = np.float32(x - left), np.float32(y - top)
    j0, j1 = held(int(left), w, {repeat}), held(int(left) + 1, w, {repeat})
    i0, i1 = held(int(top), h, {repeat}), held(int(top) + 1, h, {repeat})
    a0, a1, a2, a3 = FETCH(i0, j0)
    b0, b1, b2, b3 = FETCH(i0, j1)
    c0, c1, c2, c3 = FETCH(i1, j0)
    e0, e1, e2, e3 = FETCH(i1, j1)
    gx, gy = ONE - fx, ONE - fy
    return (
        (a0 * gx + b0 * fx) * gy + (c0 * gx + e0 * fx) * fy,
        (a1 * gx + b1 * fx) * gy + (c1 * gx + e1 * fx) * fy,
        (a2 * gx + b2 * fx) * gy + (c2 * gx + e2 * fx) * fy,
        (a3 * gx + b3 * fx) * gy + (c3 * gx + e3 * fx) * fy,
    )
"""
"""How both readers of textures end: the texel, or the four around mixed."""

READERS = (
    """
@nb.njit(**INNER)
def texel(s, t, d, layer, i, j):
    return {texel}


@nb.njit(**INNER)
def sample(s, t, d, layer, u, v):
    h, w = s.shape[1], s.shape[2]
"""
    + BETWEEN.replace("FETCH(", "texel(s, t, d, layer, ")
    + """


@nb.njit(**INNER)
def strip(s, t, d, position, row):
    rows, count = s.shape[1], s.shape[2]
    x = min(max(position, ZERO), ONE) * np.float32(count - 1)
    i = min(max(int(np.floor(row + HALF)), 0), rows - 1)
    left = np.floor(x)
    f = np.float32(x - left)
    j0, j1 = min(int(left), count - 1), min(int(left) + 1, count - 1)
    a0, a1, a2, a3 = texel(s, t, d, 0, i, j0)
    b0, b1, b2, b3 = texel(s, t, d, 0, i, j1)
    g = ONE - f
    return a0 * g + b0 * f, a1 * g + b1 * f, a2 * g + b2 * f, a3 * g + b3 * f
"""
)

LEVELS = (
    """

@nb.njit(**INNER)
def kept(b, e, place, w, i, j):
    return {kept}


@nb.njit(**INNER)
def at_level(b, e, p, u, v, number, layer):
    layer = min(max(int(np.floor(layer + HALF)), 0), p.shape[0] - 1)
    number = min(max(int(np.floor(number + HALF)), 0), p.shape[1] - 1)
    place, h, w = p[layer, number, 0], p[layer, number, 1], p[layer, number, 2]
"""
    + BETWEEN.replace("FETCH(", "kept(b, e, place, w, ")
    + """


@nb.njit(**INNER)
def mip(b, e, p, u, v, lod, layer):
    low = np.floor(lod)
    f = np.float32(lod - low)
    if {near!r} == "near":
        return at_level(b, e, p, u, v, lod, layer)
    if f == ZERO:
        return at_level(b, e, p, u, v, low, layer)
    a0, a1, a2, a3 = at_level(b, e, p, u, v, low, layer)
    c0, c1, c2, c3 = at_level(b, e, p, u, v, low + ONE, layer)
    g = ONE - f
    return a0 * g + c0 * f, a1 * g + c1 * f, a2 * g + c2 * f, a3 * g + c3 * f


@nb.njit(**INNER)
def probed(b, e, p, u, v, lod, layer, seen):
    a0, a1, a2, a3 = ZERO, ZERO, ZERO, ZERO
    for number in range(int(seen[1])):
        step = np.float32((number + 1) / (seen[1] + ONE)) - HALF
        c0, c1, c2, c3 = mip(b, e, p, u + seen[2] * step, v + seen[3] * step, lod, layer)
        a0, a1, a2, a3 = a0 + c0, a1 + c1, a2 + c2, a3 + c3
    g = ONE / seen[1]
    return a0 * g, a1 * g, a2 * g, a3 * g

"""
)


@cache
def readers(texel: str, kept: str, near: str, repeat: bool, chained: bool) -> tuple[Callable[..., Any], ...]:
    """Functions that read slots of one kind: a texel, a sample between texels, one of a strip, one of a level.

    `texel` and `kept` are texts for the four channels of a texel, and of one of a level.
    """
    names = dict(globals())
    text = (READERS + (LEVELS if chained else "")).format(texel=texel, kept=kept, repeat=repeat, near=near)
    exec(text, names)
    return tuple(names[name] for name in ("texel", "sample", "strip", *(("mip", "probed") if chained else ())))
