"""How mips are made, by tiles: each has its part of every level, so that a change of one changes little else.

A level has floor(n / 2) texels of the one before (OpenGL 4.6, section 8.14.3), each the mean of the area that it covers
there: of two texels where n is even, of parts of three where it is odd. While sides are even a tile of 256 x 256 owns
the texels of the levels that lie below it, eight at the most; smaller levels are made of the last that tiles own.
"""

import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.raster.plane import Encoding, Plane

OWN_LEVELS = 8
"""Levels below the first that a tile owns: 256 halves eight times."""


def level_count(height: int, width: int) -> int:
    """Levels of a mip chain down to 1 x 1."""
    return max(height, width).bit_length()


def own_levels(height: int, width: int) -> int:
    """Levels below the first that tiles own: while both sides are even, no texel covers parts of two tiles.

    Smaller ones are made of the last of these as it is stored.
    """
    both = height | width
    return min(OWN_LEVELS, (both & -both).bit_length() - 1)


BAND = 256
"""Rows of a level that are made at once, so that a large plane is never held in float32 as a whole."""


def halved(samples: Samples) -> Floats:
    """The next level of samples (h, w, C), float32: the mean of the area that a texel covers; sides of one stay."""
    count, width, channels = samples.shape
    found = np.empty((max(1, count // 2), max(1, width // 2), channels), dtype=np.float32)
    for first in range(0, len(found), BAND):
        last = min(first + BAND, len(found))
        down = halved_down(samples[2 * first : 2 * last + count % 2].astype(np.float32, copy=False), first, count)
        found[first:last] = np.moveaxis(halved_down(np.moveaxis(down, 1, 0)), 0, 1)
    return found


def shrunk(samples: Samples, number: int) -> Floats:
    """Level `number` of samples (h, w, C), float32, without rounding between levels."""
    found = float32(samples)
    for _ in range(number):
        found = halved(found)
    return found


def halved_down(samples: Samples, first: int = 0, count: int = 0) -> Samples:
    """Samples (h, ...) float32 with half the rows. A side of n = 2 m + 1 gives m rows, each the mean of n / m rows.

    Row j then covers the last 1 - j / m of row 2 j, row 2 j + 1, and the first (j + 1) / m of row 2 j + 2. `samples`
    may be the rows from 2 `first` on of a side of `count`.
    """
    count, rows = count or len(samples), len(samples) // 2
    if count == 1:
        return samples
    if count % 2 == 0:
        return (samples[0 : rows * 2 : 2] + samples[1 : rows * 2 : 2]) * np.float32(0.5)
    half = count // 2
    rows = min(rows, (len(samples) - 1) // 2)
    at = np.arange(first, first + rows, dtype=np.float32).reshape(-1, *(1,) * (samples.ndim - 1))
    upper, lower = (np.float32(half) - at) / np.float32(count), (at + 1) / np.float32(count)
    middle = np.float32(half / count)
    return np.asarray(samples[0 : rows * 2 : 2] * upper + samples[1::2][:rows] * middle + samples[2::2][:rows] * lower)


def gpu_samples(samples: Samples, encoding: Encoding) -> Samples:
    """Samples as a texture stores them: colour as 16-bit UNORM linear light, everything else as it is."""
    if encoding != Encoding.SRGB:
        return samples
    linear = Plane(samples, encoding).linear()
    return np.asarray(np.clip(linear, 0, 1) * np.float32(65535) + np.float32(0.5), dtype=np.uint16)


def parts_of(samples: Samples, encoding: Encoding) -> list[Samples]:
    """A tile's part of each level that it can own, the first one whole."""
    first = gpu_samples(samples, encoding)
    found, level = [np.ascontiguousarray(first)], first
    for _ in range(own_levels(*level.shape[:2])):
        level = halved(level)
        found.append(_stored(level, first.dtype))
    return found


def _stored(level: Samples, dtype: "np.dtype[np.generic]") -> Samples:
    if dtype.kind == "f":
        return np.ascontiguousarray(level, dtype=dtype)
    return np.ascontiguousarray(np.floor(level + np.float32(0.5)), dtype=dtype)


def tail(eighth: Samples) -> list[Samples]:
    """The levels after one (h, w, C), down to 1 x 1."""
    found, level = [], eighth
    while level.shape[0] > 1 or level.shape[1] > 1:
        level = halved(level)
        found.append(_stored(level, eighth.dtype))
    return found
