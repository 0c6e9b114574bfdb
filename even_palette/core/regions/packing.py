"""Packed weights: four regions in the channels of one RGBA plane; and plans that say how a shader finds them."""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from even_palette.core.arrays import Levels
from even_palette.core.graph import nodes
from even_palette.core.graph.nodes import Node
from even_palette.core.graph.slots import Slot
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.sampling import Filter, Sampler
from even_palette.core.regions.edge_pairs import encode_pairs, pair_weight

REGIONS_A_PLANE, REGIONS_AN_RGB_PLANE = 4, 3
ARRAY_SLOT, PAIRS_SLOT = "weights", "edge_pairs"
BAND_ROWS = 256
UNFILTERED = Sampler(Filter.NEAREST, mips=False)


class Packing(StrEnum):
    """How weights reach a shader.

    As RGBA planes that are textures of their own, as the layers of one array texture, as RGB planes, or as one plane of
    edge pairs (see `edge_pairs`).
    """

    PLANES = "planes"
    ARRAY = "array"
    RGB = "rgb"
    PAIRS = "pairs"


@dataclass(frozen=True)
class Place:
    """Where a weight is: its slot, the layer of an array or -1, and the channel, or the number in pairs."""

    slot: str
    layer: int
    channel: str


@dataclass(frozen=True)
class PackingPlan:
    """Where the weight of each region is, by key, in the order of the regions; `size` is that of the planes."""

    packing: Packing
    regions: tuple[str, ...]
    size: tuple[int, int] = (1, 1)

    def place(self, index: int) -> Place:
        """Where the weight of the region with an index is."""
        plane, channel = plane_and_channel(index)
        match self.packing:
            case Packing.ARRAY:
                return Place(ARRAY_SLOT, plane, "rgba"[channel])
            case Packing.RGB:
                plane, channel = divmod(index, REGIONS_AN_RGB_PLANE)
                return Place(weights_slot(plane), -1, "rgb"[channel])
            case Packing.PAIRS:
                return Place(PAIRS_SLOT, -1, str(index + 1))
        return Place(weights_slot(plane), -1, "rgba"[channel])

    def weight(self, region: str) -> Node:
        """The weight of a region as an expression of the sheet's uv."""
        index = self.regions.index(region)
        place = self.place(index)
        if self.packing == Packing.PAIRS:
            return pair_weight(PAIRS_SLOT, index, *self.size)
        if self.packing == Packing.ARRAY:
            return nodes.layer(ARRAY_SLOT, place.layer, nodes.uv())["xyzw"["rgba".index(place.channel)]]
        return nodes.texture(place.slot, nodes.uv())["xyzw"["rgba".index(place.channel)]]

    def slots(self, planes: Sequence[Plane]) -> dict[str, Slot]:
        """The slots that hold these RGBA planes of weights, packed anew where the plan asks for it."""
        if not planes:
            return {}
        match self.packing:
            case Packing.ARRAY:
                return {ARRAY_SLOT: Slot(tuple(planes), is_array=True)}
            case Packing.RGB:
                count = len(self.regions)
                return {
                    weights_slot(number): Slot((_rgb_plane(planes, first, count),))
                    for number, first in enumerate(range(0, count, REGIONS_AN_RGB_PLANE))
                }
            case Packing.PAIRS:
                return {PAIRS_SLOT: Slot((_pair_plane(planes, len(self.regions)),), UNFILTERED)}
        return {weights_slot(number): Slot((plane,)) for number, plane in enumerate(planes)}

    @property
    def units(self) -> int:
        """Texture units that the weights take."""
        some = min(1, len(self.regions))
        a_plane = {Packing.PLANES: REGIONS_A_PLANE, Packing.RGB: REGIONS_AN_RGB_PLANE}.get(self.packing)
        return -(-len(self.regions) // a_plane) if a_plane else some

    @property
    def samples(self) -> int:
        """Samples that a pixel takes for all weights."""
        if self.packing == Packing.PAIRS:
            return 4 * self.units
        return self.units if self.packing != Packing.ARRAY else -(-len(self.regions) // REGIONS_A_PLANE)


def _rgb_plane(planes: Sequence[Plane], first: int, count: int) -> Plane:
    """Three regions from the first on as RGB; a channel that no region has is 0."""
    height, width = planes[0].height, planes[0].width
    out = np.zeros((height, width, REGIONS_AN_RGB_PLANE), dtype=np.uint8)
    for channel, index in enumerate(range(first, min(first + REGIONS_AN_RGB_PLANE, count))):
        plane, source = plane_and_channel(index)
        out[..., channel] = planes[plane].samples[..., source]
    return Plane(out, Encoding.DATA)


def _pair_plane(planes: Sequence[Plane], count: int) -> Plane:
    height, width = planes[0].height, planes[0].width
    out = np.empty((height, width, 3), dtype=np.uint8)
    for top in range(0, height, BAND_ROWS):
        out[top : top + BAND_ROWS] = encode_pairs(levels_of(planes, count, top, min(top + BAND_ROWS, height)))
    return Plane(out, Encoding.DATA)


def levels_of(planes: Sequence[Plane], count: int, top: int, bottom: int) -> Levels:
    """The weights (count, bottom - top, W) uint8 of rows of RGBA planes."""
    rows = [np.asarray(plane.samples)[top:bottom] for plane in planes]
    places = map(plane_and_channel, range(count))
    return np.stack([rows[plane][..., channel] for plane, channel in places])


def weights_slot(plane: int) -> str:
    """The slot of a plane of weights that is a texture of its own."""
    return f"weights_{plane}"


def plane_and_channel(region_index: int) -> tuple[int, int]:
    """Where the weight of the region with this index is packed in RGBA planes."""
    return divmod(region_index, REGIONS_A_PLANE)
