"""Packed weights: four regions in the channels of one RGBA plane, as many planes as needed."""

import numpy as np

from even_palette.core.arrays import Levels
from even_palette.core.raster.plane import Encoding, Plane

REGIONS_A_PLANE = 4


def pack_weights(levels: Levels) -> tuple[Plane, ...]:
    """Data planes (H, W, 4) holding weights (R, H, W) uint8; unused channels are 0."""
    count, height, width = levels.shape
    planes = []
    for first in range(0, count, REGIONS_A_PLANE):
        packed = np.zeros((height, width, REGIONS_A_PLANE), dtype=np.uint8)
        group = levels[first : first + REGIONS_A_PLANE]
        packed[..., : len(group)] = np.moveaxis(group, 0, -1)
        planes.append(Plane(packed, Encoding.DATA))
    return tuple(planes)


def plane_and_channel(region_index: int) -> tuple[int, int]:
    """Where the weight of the region with this index is packed."""
    return divmod(region_index, REGIONS_A_PLANE)
