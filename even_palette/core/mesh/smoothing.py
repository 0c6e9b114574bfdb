"""Smoothing of what rays found, which keeps to UV islands and to the edges between directions."""

import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.jobs import CancelToken

SHARPNESS = 16.0
"""Power of the cosine between two normals: 16 lets 30 degrees count a tenth."""


def smoothed(
    values: Floats, islands: Samples, normals: Floats, radius: int, cancel: CancelToken | None = None
) -> Floats:
    """Values (H, W, C) averaged over a Gaussian of `radius` texels, each with those of its own island that face alike.

    `islands` (H, W) are numbers, -1 where there is no face; `normals` (H, W, 3) have length 1. A cross-bilateral filter
    (Petschnigg et al. 2004) guided by the surface. Texels without a face stay. Raises Cancelled.
    """
    if radius < 1:
        return values
    height, width = islands.shape
    total = values * np.float32(1)
    weight = np.ones((height, width), dtype=np.float32)
    inside = islands >= 0
    for down in range(-radius, radius + 1):
        if cancel:
            cancel.check()
        for across in range(-radius, radius + 1):
            if not (down or across) or down * down + across * across > radius * radius:
                continue
            here = (
                slice(max(0, -down), min(height, height - down)),
                slice(max(0, -across), min(width, width - across)),
            )
            there = (slice(max(0, down), min(height, height + down)), slice(max(0, across), min(width, width + across)))
            near = np.float32(np.exp(-2.0 * (down * down + across * across) / (radius * radius)))
            alike = np.clip((normals[here] * normals[there]).sum(axis=-1), 0, 1) ** np.float32(SHARPNESS)
            share = near * alike * (inside[here] & (islands[here] == islands[there]))
            total[here] += values[there] * share[..., None]
            weight[here] += share
    return np.where(inside[..., None], float32(total / weight[..., None]), values)


def _part(count: int, offset: int) -> slice:
    """The rows or columns that are left where others are looked at so many further on."""
    return slice(max(0, offset), min(count, count + offset))
