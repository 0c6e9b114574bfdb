"""Compiled loops of `noise`: arithmetic of doubles alone, so that every machine gives the same bytes."""

import math

import numba as nb

CLOUDS, CELLS, CRACKS, PATCHES = 0, 1, 2, 3
WARPS = 16
"""The first table of those that move the places; the octaves have the tables below."""


@nb.njit(nogil=True, cache=True, inline="always")
def _held(cell, period):  # type: ignore[no-untyped-def]
    """A cell's number within its period, and within the tables."""
    return (cell % period if period > 0 else cell) & 255


@nb.njit(nogil=True, cache=True)
def _gradient(number, x, y, z):  # type: ignore[no-untyped-def]
    """The slope of Perlin 2002 that a number chooses, times a way."""
    low = number & 15
    u = x if low < 8 else y
    v = y if low < 4 else (x if low in (12, 14) else z)
    return (u if low & 1 == 0 else -u) + (v if low & 2 == 0 else -v)


@nb.njit(nogil=True, cache=True, inline="always")
def _fade(t):  # type: ignore[no-untyped-def]
    return t * t * t * (t * (t * 6.0 - 15.0) + 10.0)


@nb.njit(nogil=True, cache=True, inline="always")
def _mixed(t, a, b):  # type: ignore[no-untyped-def]
    return a + t * (b - a)


@nb.njit(nogil=True, cache=True)
def _perlin(x, y, z, table, px, py, pz):  # type: ignore[no-untyped-def]
    """Gradient noise at one place, about -1..1; the periods are whole numbers of cells, 0 for those of the table."""
    i, j, k = math.floor(x), math.floor(y), math.floor(z)
    fx, fy, fz = x - i, y - j, z - k
    x0, x1 = _held(i, px), _held(i + 1, px)
    y0, y1 = _held(j, py), _held(j + 1, py)
    z0, z1 = _held(k, pz), _held(k + 1, pz)
    u, v, w = _fade(fx), _fade(fy), _fade(fz)
    a, b = table[x0] + y0, table[x0] + y1
    c, d = table[x1] + y0, table[x1] + y1
    near = _mixed(
        v,
        _mixed(u, _gradient(table[table[a] + z0], fx, fy, fz), _gradient(table[table[c] + z0], fx - 1, fy, fz)),
        _mixed(u, _gradient(table[table[b] + z0], fx, fy - 1, fz), _gradient(table[table[d] + z0], fx - 1, fy - 1, fz)),
    )
    fz -= 1
    far = _mixed(
        v,
        _mixed(u, _gradient(table[table[a] + z1], fx, fy, fz), _gradient(table[table[c] + z1], fx - 1, fy, fz)),
        _mixed(u, _gradient(table[table[b] + z1], fx, fy - 1, fz), _gradient(table[table[d] + z1], fx - 1, fy - 1, fz)),
    )
    return _mixed(w, near, far)


@nb.njit(nogil=True, cache=True)
def point_of(i, j, k, table, px, py, pz, flat):  # type: ignore[no-untyped-def]
    """The one point of a cell, and its own value 0..1; in the plane z = 0 where the noise is `flat`."""
    first = table[table[table[_held(i, px)] + _held(j, py)] + _held(k, pz)]
    second = table[first + 1]
    third = table[second + 2]
    value = table[third + 3]
    depth = 0.0 if flat else k + (third + 0.5) / 256
    return i + (first + 0.5) / 256, j + (second + 0.5) / 256, depth, value / 255.0


@nb.njit(nogil=True, cache=True)
def _nearest(x, y, z, table, px, py, pz, flat):  # type: ignore[no-untyped-def]
    """The distances of the nearest and second point, and the value of the nearest; cells farther out are looked into
    for as long as they may hold a nearer one."""
    i, j, k = math.floor(x), math.floor(y), math.floor(z)
    fx, fy, fz = x - i, y - j, z - k
    edge = min(min(fx, 1 - fx), min(fy, 1 - fy))
    if not flat:
        edge = min(edge, min(fz, 1 - fz))
    first, second, value = math.inf, math.inf, 0.0
    ring = 0
    while True:
        deep = 0 if flat else ring
        for dz in range(-deep, deep + 1):
            for dy in range(-ring, ring + 1):
                for dx in range(-ring, ring + 1):
                    if max(abs(dx), max(abs(dy), abs(dz))) != ring:
                        continue
                    cx, cy, cz, own = point_of(i + dx, j + dy, k + dz, table, px, py, pz, flat)
                    squared = (cx - x) ** 2 + (cy - y) ** 2 + (0.0 if flat else (cz - z) ** 2)
                    if squared < first:
                        first, second, value = squared, first, own
                    elif squared < second:
                        second = squared
        reach = ring + edge
        if second <= reach * reach:
            return math.sqrt(first), math.sqrt(second), value
        ring += 1


@nb.njit(nogil=True, cache=True)
def fill(places, out, kind, octaves, gain, warp, tables, px, py, pz, flat):  # type: ignore[no-untyped-def]
    """Noise at places (n, 3) in cells, into (n,), 0..1 before any contrast; `tables` (t, 512) are those of octaves."""
    for n in range(len(places)):
        x, y, z = places[n, 0], places[n, 1], places[n, 2]
        if warp > 0:
            dx = _perlin(x, y, z, tables[WARPS], px, py, pz)
            dy = _perlin(x, y, z, tables[WARPS + 1], px, py, pz)
            dz = 0.0 if flat else _perlin(x, y, z, tables[WARPS + 2], px, py, pz)
            x, y, z = x + warp * dx, y + warp * dy, z + warp * dz
        total, weight, amount, scale = 0.0, 0.0, 1.0, 1
        for octave in range(octaves):
            qx, qy, qz = px * scale, py * scale, pz * scale
            if kind == CLOUDS:
                value = 0.5 + 0.5 * _perlin(x * scale, y * scale, z * scale, tables[octave], qx, qy, qz)
            else:
                near, next_, own = _nearest(x * scale, y * scale, z * scale, tables[octave], qx, qy, qz, flat)
                value = near if kind == CELLS else (next_ - near if kind == CRACKS else own)
            total += amount * value
            weight += amount
            amount *= gain
            scale *= 2
        out[n] = total / weight
