"""Packed weights: four regions in the channels of one RGBA plane, as many planes as needed."""

from collections.abc import Sequence

import numpy as np

from even_palette.core.arrays import Levels, Samples
from even_palette.core.raster.plane import Encoding, Plane

REGIONS_A_PLANE = 4


def pack_weights(table: Levels, index: Samples, known_id: str = "") -> Plane:
    """A data plane (H, W, 4) of up to four regions' weights; unused channels are 0.

    `table` (R, n) uint8 holds the weights of each distinct ID colour, `index` (H, W) which of them each texel has.
    """
    texels = np.zeros((table.shape[1], REGIONS_A_PLANE), dtype=np.uint8)
    texels[:, : len(table)] = table.T
    return Plane(texels[index], Encoding.DATA, known_id)


def unpack_weights(planes: Sequence[Plane], count: int) -> list[Levels]:
    """The weights (H, W) of `count` regions, as views of the planes that hold them."""
    places = map(plane_and_channel, range(count))
    return [planes[plane].samples[..., channel] for plane, channel in places]


def plane_and_channel(region_index: int) -> tuple[int, int]:
    """Where the weight of the region with this index is packed."""
    return divmod(region_index, REGIONS_A_PLANE)
