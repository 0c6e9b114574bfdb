"""Keying: how much of a texel belongs to an ID colour, by their distance in encoded RGB."""

from enum import StrEnum

import numpy as np

from even_palette.core.arrays import Floats, Levels, Samples, float32
from even_palette.core.colour.hexcode import Rgb8
from even_palette.core.jobs import CancelToken
from even_palette.core.raster.plane import rgb_of

LEVELS, BAND_ROWS = 256, 256


class Metric(StrEnum):
    """How the distance of two colours is measured, in 8-bit levels."""

    CHEBYSHEV = "chebyshev"
    EUCLIDEAN = "euclidean"


def distance_counts(levels: Levels, colour: Rgb8, metric: Metric, cancel: CancelToken | None = None) -> Samples:
    """How many texels (H, W, C) uint8 are how far from a colour: counts (256,) by whole levels, int64.

    Euclidean distances above 255 count as 255. Raises Cancelled.
    """
    counts = np.zeros(LEVELS, dtype=np.int64)
    for first in range(0, len(levels), BAND_ROWS):
        if cancel:
            cancel.check()
        off = rgb_of(levels[first : first + BAND_ROWS]).astype(np.int32) - np.array(colour, dtype=np.int32)
        if metric == Metric.CHEBYSHEV:
            far = np.abs(off).max(axis=-1)
        else:
            far = np.minimum(np.rint(np.sqrt((off * off).sum(axis=-1))), LEVELS - 1).astype(np.int64)
        counts += np.bincount(far.ravel(), minlength=LEVELS)
    return counts


def key_mask(levels: Samples, colour: Rgb8, inner: float, outer: float, metric: Metric) -> Floats:
    """Mask 1 - smoothstep(inner, outer, d) of levels (H, W, C) uint8; float32 (H, W), 0..1.

    The distance d and both tolerances are in 8-bit levels. Up to `inner` a texel is wholly of the colour, from
    `outer` on it is not; with inner >= outer the edge is hard, and d <= inner belongs.
    """
    difference = np.abs(rgb_of(levels).astype(np.int16) - np.array(colour, dtype=np.int16))
    if metric == Metric.CHEBYSHEV:
        distance = float32(difference.max(axis=-1))
    else:
        distance = np.sqrt(np.square(float32(difference)).sum(axis=-1))
    if inner >= outer:
        return float32(distance <= inner)
    ramp = np.clip((distance - np.float32(inner)) / np.float32(outer - inner), 0, 1)
    return float32(1 - ramp * ramp * (3 - 2 * ramp))
