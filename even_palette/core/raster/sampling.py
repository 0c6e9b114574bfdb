"""Texture look-up as a runtime does it, without mips: the reference for the samplers of every back end."""

from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.raster.plane import Plane


class Filter(StrEnum):
    """How texels are mixed where a sample lies between them."""

    LINEAR = "linear"
    NEAREST = "nearest"


class Wrap(StrEnum):
    """What lies beyond the edge of a plane."""

    CLAMP = "clamp"
    REPEAT = "repeat"
    MIRROR = "mirror"


@dataclass(frozen=True)
class Sampler:
    """How a plane is sampled.

    `anisotropy` is how many samples are taken at the most along the longer side of what a pixel covers, and `bias` goes
    to the number of the level that is read (see `pixel_footprint`).
    """

    filter: Filter = Filter.LINEAR
    wrap: Wrap = Wrap.CLAMP
    mips: bool = True
    anisotropy: int = 1
    bias: float = 0.0


SMOOTH = Sampler()
SHARP = Sampler(Filter.NEAREST)


def sample(plane: Plane, uv: Floats, sampler: Sampler = SMOOTH) -> Floats:
    """Sample a plane (H, W, C) at uv (..., 2), giving (..., C); sRGB colour is decoded before it is mixed.

    u runs right, v runs down from the top left corner (glTF 2.0, section 3.8.1); texel centres lie at (i + 0.5) / n.
    Linear filters mix the four nearest texels, wraps are those of OpenGL 4.6, section 8.14.
    """
    height, width = plane.height, plane.width
    x = float32(uv)[..., 0] * width
    y = float32(uv)[..., 1] * height

    def columns(x: Floats) -> Samples:
        return wrapped(x.astype(np.int64), width, sampler.wrap)

    def rows(y: Floats) -> Samples:
        return wrapped(y.astype(np.int64), height, sampler.wrap)

    if sampler.filter == Filter.NEAREST:
        return plane.fetch(rows(np.floor(y)), columns(np.floor(x)))
    x, y = x - np.float32(0.5), y - np.float32(0.5)
    left, top = float32(np.floor(x)), float32(np.floor(y))
    across, down = (x - left)[..., None], (y - top)[..., None]
    one, other, high, low = columns(left), columns(left + 1), rows(top), rows(top + 1)
    upper = plane.fetch(high, one) * (1 - across) + plane.fetch(high, other) * across
    lower = plane.fetch(low, one) * (1 - across) + plane.fetch(low, other) * across
    return float32(upper * (1 - down) + lower * down)


def wrapped(texels: Samples, count: int, wrap: Wrap) -> Samples:
    """Texel numbers of any size as numbers 0 .. count - 1 (OpenGL 4.6, table 8.20)."""
    match wrap:
        case Wrap.REPEAT:
            return np.asarray(texels % count)
        case Wrap.MIRROR:
            turned = texels % (2 * count)
            return np.asarray(np.where(turned < count, turned, 2 * count - 1 - turned))
        case _:
            return np.minimum(np.maximum(texels, 0), count - 1)


def texel_centres(height: int, width: int) -> Floats:
    """The uv of every texel centre of an image; (height, width, 2)."""
    u = (np.arange(width, dtype=np.float32) + np.float32(0.5)) / np.float32(width)
    v = (np.arange(height, dtype=np.float32) + np.float32(0.5)) / np.float32(height)
    return np.stack(np.broadcast_arrays(u[None, :], v[:, None]), axis=-1)


def pixel_numbers(width: int, height: int, corner: tuple[int, int] = (0, 0)) -> Floats:
    """Column and row of every pixel of a picture or a part of it, (height, width, 2) float32."""
    columns, rows = (float32(np.arange(count) + first) for count, first in zip((width, height), corner, strict=True))
    return np.stack(np.broadcast_arrays(columns[None, :], rows[:, None]), axis=-1)


def texels_beside(first: int, last: int, count: int, other: int) -> tuple[Samples, Samples, Floats]:
    """For texel centres first..last of `count`: the two texels of `other` beside each, and the share of the second."""
    if count == other:
        here = np.arange(first, last)
        return here, here, np.zeros(last - first, np.float32)
    at = (np.arange(first, last) + 0.5) * other / count - 0.5
    low = np.floor(at).astype(np.int64)
    share = float32(at - low)
    return np.clip(low, 0, other - 1), np.clip(low + 1, 0, other - 1), share
