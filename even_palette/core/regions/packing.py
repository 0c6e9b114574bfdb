"""Packed weights: four regions in the channels of one RGBA plane; and plans that say how a shader finds them."""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from even_palette.core.graph import nodes
from even_palette.core.graph.nodes import Node
from even_palette.core.graph.slots import Slot
from even_palette.core.raster.plane import Plane

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


def plane_and_channel(region_index: int) -> tuple[int, int]:
    """Where the weight of the region with this index is packed."""
    return divmod(region_index, REGIONS_A_PLANE)
