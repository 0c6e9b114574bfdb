"""Packed weights: four regions in the channels of one RGBA plane; and plans that say how a shader finds them."""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from itertools import combinations

import numpy as np

from even_palette.core.arrays import Bools, Levels
from even_palette.core.graph import nodes, slots
from even_palette.core.graph.nodes import Node
from even_palette.core.graph.slots import Slot
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.sampling import Filter, Sampler
from even_palette.core.regions.edge_pairs import Rows, pair_weight, pyramid

REGIONS_A_PLANE, REGIONS_AN_RGB_PLANE = 4, 3
ARRAY_SLOT, PAIRS_SLOT = "weights", "edge_pairs"
BLOCK = 4
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


LEAST_SUM = 1 / 255
"""A sum of weights that is less is that of a place without regions."""


@dataclass(frozen=True)
class PackingPlan:
    """Where the weight of each region is, by key, in the order of channels; `size` is that of the planes.

    `stored` is the order of the regions in the RGBA planes that the weights come in, where that is another one. Weights
    that are `divided` by their sum add up to 1 whatever blocks and filters do, so that the base has no part.
    """

    packing: Packing
    regions: tuple[str, ...]
    size: tuple[int, int] = (1, 1)
    stored: tuple[str, ...] = ()
    divided: bool = False

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
        if not self.divided:
            return self._held(region)
        return self._held(region) / nodes.maximum(nodes.total(map(self._held, self.regions)), LEAST_SUM)

    def _held(self, region: str) -> Node:
        """The weight as textures hold it."""
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
        sources = [(self.stored or self.regions).index(key) for key in self.regions]
        same = sources == list(range(len(sources)))
        match self.packing:
            case Packing.ARRAY:
                held = planes if same else self._repacked(planes, sources, REGIONS_A_PLANE, whole=True)
                return {ARRAY_SLOT: slots.layers(held, shares=True)}
            case Packing.RGB:
                made = self._repacked(planes, sources, REGIONS_AN_RGB_PLANE)
            case Packing.PAIRS:
                return {PAIRS_SLOT: slots.of(_pair_plane(planes, sources), UNFILTERED)}
            case _:
                full = same and len(sources) % REGIONS_A_PLANE == 0
                made = list(planes) if full else self._repacked(planes, sources, REGIONS_A_PLANE)
        return {weights_slot(number): slots.of(plane, shares=True) for number, plane in enumerate(made)}

    def _repacked(self, planes: Sequence[Plane], sources: list[int], a_plane: int, whole: bool = False) -> list[Plane]:
        """Planes of so many regions each; an alpha that no region has is not written, unless layers must be `whole`."""
        made = []
        for first in range(0, len(sources), a_plane):
            part = sources[first : first + a_plane]
            if part == list(range(first, first + REGIONS_A_PLANE)) and a_plane == REGIONS_A_PLANE:
                made.append(planes[first // REGIONS_A_PLANE])
                continue
            channels = REGIONS_A_PLANE if whole or len(part) == REGIONS_A_PLANE else REGIONS_AN_RGB_PLANE
            made.append(_plane_of(planes, part, 1 if len(part) == 1 and not whole else channels))
        return made

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
            return 8 * self.units
        return self.units if self.packing != Packing.ARRAY else -(-len(self.regions) // REGIONS_A_PLANE)


def _plane_of(planes: Sequence[Plane], sources: list[int], channels: int) -> Plane:
    """Some regions as the channels of one plane; a channel that no region has is 0."""
    height, width = planes[0].height, planes[0].width
    out = np.zeros((height, width, channels), dtype=planes[0].samples.dtype)
    for channel, index in enumerate(sources):
        plane, source = plane_and_channel(index)
        out[..., channel] = planes[plane].samples[..., source]
    return Plane(out, Encoding.DATA)


def _pair_plane(planes: Sequence[Plane], sources: list[int]) -> Plane:
    size = len(sources), planes[0].height, planes[0].width
    return Plane(pyramid(rows_of_planes(planes, sources), size), Encoding.DATA)


def rows_of_planes(planes: Sequence[Plane], sources: Sequence[int]) -> Rows:
    """Rows of the weights of regions by their numbers in RGBA planes, (R, n, w)."""

    def rows(first: int, last: int) -> Levels:
        parts = [plane.rows(first, last).samples for plane in planes]
        places = map(plane_and_channel, sources)
        return np.stack([parts[plane][..., channel] for plane, channel in places])

    return rows


def suggested_order(levels: Sequence[Levels]) -> list[int]:
    """Regions (H, W) uint8 in an order in which those that touch lie in different planes as far as may be.

    Channels that are never busy in the same block of 4 x 4 texels do not disturb each other under block compression.
    Planes of four are filled one by one, each time with the region that shares the fewest blocks with those there;
    the largest one that is left begins a plane.
    """
    count = len(levels)
    busy = np.stack([_busy_blocks(level) for level in levels]) if count else np.zeros((0, 1))
    shared = (busy.astype(np.float32) @ busy.astype(np.float32).T).astype(np.int64)
    left = sorted(range(count), key=lambda index: -int(shared[index, index]))
    order: list[int] = []
    while left:
        plane = [left.pop(0)]
        while left and len(plane) < REGIONS_A_PLANE:
            best = min(left, key=lambda index: int(sum(shared[index, other] for other in plane)))
            left.remove(best)
            plane.append(best)
        order += plane
    return order


def shared_blocks(levels: Sequence[Levels], order: Sequence[int]) -> int:
    """In how many blocks of 4 x 4 texels two regions of one plane are both busy, counted by pair."""
    busy = [_busy_blocks(level) for level in levels]
    planes = [order[first : first + REGIONS_A_PLANE] for first in range(0, len(order), REGIONS_A_PLANE)]
    return sum(int((busy[a] & busy[b]).sum()) for plane in planes for a, b in combinations(plane, 2))


def _busy_blocks(level: Levels) -> Bools:
    """Which blocks of 4 x 4 texels are of more than one value."""
    height, width = level.shape[0] // BLOCK * BLOCK, level.shape[1] // BLOCK * BLOCK
    blocks = level[:height, :width].reshape(height // BLOCK, BLOCK, width // BLOCK, BLOCK)
    return np.asarray(blocks.min(axis=(1, 3)) != blocks.max(axis=(1, 3))).ravel()


def weights_slot(plane: int) -> str:
    """The slot of a plane of weights that is a texture of its own."""
    return f"weights_{plane}"


def plane_and_channel(region_index: int) -> tuple[int, int]:
    """Where the weight of the region with this index is packed in RGBA planes."""
    return divmod(region_index, REGIONS_A_PLANE)
