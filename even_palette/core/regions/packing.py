"""Packed weights: four regions in the channels of one RGBA plane; and plans that say how a shader finds them."""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from even_palette.core.arrays import Levels, Samples
from even_palette.core.graph import nodes
from even_palette.core.graph.nodes import Node
from even_palette.core.graph.slots import Slot
from even_palette.core.raster.plane import Encoding, Plane

REGIONS_A_PLANE = 4
ARRAY_SLOT = "weights"


class Packing(StrEnum):
    """How the planes of weights reach a shader: as textures of their own, or as the layers of one array texture."""

    PLANES = "planes"
    ARRAY = "array"


@dataclass(frozen=True)
class PackingPlan:
    """Where the weight of each region is, by key, in the order of the regions."""

    packing: Packing
    regions: tuple[str, ...]

    def weight(self, region: str) -> Node:
        """The weight of a region as an expression: a channel of a texture at the sheet's uv."""
        plane, channel = plane_and_channel(self.regions.index(region))
        if self.packing == Packing.ARRAY:
            return nodes.layer(ARRAY_SLOT, plane, nodes.uv())["xyzw"[channel]]
        return nodes.texture(weights_slot(plane), nodes.uv())["xyzw"[channel]]

    def slots(self, planes: Sequence[Plane]) -> dict[str, Slot]:
        """The slots that hold these planes of weights."""
        if not planes:
            return {}
        if self.packing == Packing.ARRAY:
            return {ARRAY_SLOT: Slot(tuple(planes), is_array=True)}
        return {weights_slot(number): Slot((plane,)) for number, plane in enumerate(planes)}

    @property
    def units(self) -> int:
        """Texture units that the weights take."""
        planes = -(-len(self.regions) // REGIONS_A_PLANE)
        return min(1, planes) if self.packing == Packing.ARRAY else planes


def weights_slot(plane: int) -> str:
    """The slot of a plane of weights that is a texture of its own."""
    return f"weights_{plane}"


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
