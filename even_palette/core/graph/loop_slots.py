"""What a compiled loop is given for the slots that it reads: samples, tables, levels."""

from dataclasses import dataclass
from typing import Any

import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.colour.srgb import linear_to_srgb, srgb_to_linear
from even_palette.core.graph.slots import Slot
from even_palette.core.memory_account import Kept
from even_palette.core.raster.chain import stored_kind
from even_palette.core.raster.plane import Encoding, Plane, decode_levels, stored_values
from even_palette.core.raster.tiles import kind_of


@dataclass(frozen=True)
class SlotReading:
    """How a loop reads a slot: channels, integer samples or floats, filter and wrap.

    `direct` where pixels are texels; `minified` where a pixel has several, so that mips are read; `chained` where there
    are levels at all, which are integers where `integer_levels` says so; `shares` as the slot says. `probed` where a
    pixel takes several samples; `bias` goes to the number of a level that the program asks for.
    """

    channels: int
    integer: bool
    nearest: bool
    repeat: bool
    direct: bool = False
    minified: bool = False
    chained: bool = False
    integer_levels: bool = True
    shares: bool = False
    probed: bool = False
    bias: float = 0.0


def level_kind(plane: Plane, how: SlotReading) -> "np.dtype[Any]":
    """In which numbers the levels of a plane are handed to a loop."""
    return stored_kind(plane) if how.chained else np.dtype(np.uint8)


_KEPT: Kept[tuple[Samples, ...]] = Kept(
    "Planes as loops read them", 0.07, lambda arrays: sum(array.nbytes for array in arrays)
)


def room_to_read() -> int:
    """How many bytes of planes may be kept for loops."""
    return _KEPT.allowed


NO_LEVELS = np.zeros((1, 4), np.uint8), np.zeros((1, 1, 3), np.int64)
"""What a loop is given for levels that it does not read."""


def whole_arguments(slot: Slot, how: SlotReading, levels_read: tuple[int, ...] = ()) -> tuple[Samples, ...]:
    """Samples, tables of colours and data, levels with their table and places, as a loop takes them.

    Of the levels just those that are read, or all without a choice.
    """
    plane = slot.plane
    kind = kind_of(plane)
    empty = np.zeros((1, 1, 1, plane.channels), kind)
    read = how.direct or (how.minified and levels_read)
    samples = empty if read else _KEPT.get(("whole", slot.content_id), lambda: (_stacked(slot),))[0]
    colours = table_of(kind.name, plane.encoding == Encoding.SRGB)
    levels, places = NO_LEVELS
    if how.chained:
        levels, places = _KEPT.get(("levels", slot.content_id, levels_read), lambda: _chain(slot, levels_read))
    return samples, colours, table_of(kind.name, False), levels, table_of(levels.dtype.name, False), places


def _stacked(slot: Slot) -> Samples:
    planes = [np.ascontiguousarray(plane.samples) for plane in slot.planes]
    if slot.plane.encoding == Encoding.SRGB and planes[0].dtype == np.float32:
        planes = [np.ascontiguousarray(plane.linear()) for plane in slot.planes]
    return planes[0][None] if len(planes) == 1 else np.stack(planes)


def rows_of(slot: Slot, first: int, last: int) -> Samples:
    """Some rows of all layers, (layers, rows, w, C); floats that mean colour are decoded."""
    planes = [plane.rows(first, last) for plane in slot.planes]
    floats = slot.plane.encoding == Encoding.SRGB and planes[0].samples.dtype == np.float32
    bands = [np.ascontiguousarray(plane.linear() if floats else plane.samples) for plane in planes]
    return bands[0][None] if len(bands) == 1 else np.stack(bands)


def table_of(kind: str, colours: bool) -> Floats:
    """What each integer sample means as colour in linear light, or as data; a single 0 for floats."""
    if np.dtype(kind).kind == "f":
        return np.zeros(1, np.float32)
    every = np.arange(np.iinfo(np.dtype(kind)).max + 1).astype(kind)
    (found,) = _KEPT.get(("table", kind, colours), lambda: (decode_levels(every) if colours else stored_values(every),))
    return found


def _chain(slot: Slot, levels_read: tuple[int, ...]) -> tuple[Samples, Samples]:
    """Levels of all layers as a list of texels (n, C), and where each begins with its size; others have no texel."""
    count = slot.chain.count
    read = [number for number in range(count) if not levels_read or number in levels_read]
    places = np.zeros((len(slot.chains), count, 3), np.int64)
    parts, begin = [], 0
    for layer, chain in enumerate(slot.chains):
        levels = chain.stored(read)
        for number in read:
            level = levels[number]
            places[layer, number] = begin, *level.shape[:2]
            parts.append(level.reshape(-1, level.shape[-1]))
            begin += level.shape[0] * level.shape[1]
    return np.ascontiguousarray(np.concatenate(parts)), places


def bytes_taken(slot: Slot, how: SlotReading, levels_read: tuple[int, ...]) -> int:
    """About what a loop is given for a slot, in bytes, beside what is there anyway."""
    plane = slot.plane
    texels, size = plane.width * plane.height * len(slot.chains), plane.channels * kind_of(plane).itemsize
    if how.direct:
        return 0
    if how.chained:
        wide = plane.channels * level_kind(plane, how).itemsize
        return int(texels * wide * (sum(4.0**-number for number in levels_read) if levels_read else 4 / 3))
    return texels * size


def encoding_tables() -> tuple[Samples, Floats]:
    """For 4096 parts of linear light the 8-bit level at the start of each, and the light at which that level ends.

    No part is longer than 0.81 of a level (12.92 * 255 / 4095), so at most one level ends in it.
    """

    def make() -> tuple[Samples, Floats]:
        edges = np.append(srgb_to_linear(float32((np.arange(255) + 0.5) / 255)), np.float32(np.inf))
        starts = linear_to_srgb(float32(np.arange(4096) / 4095))
        levels = np.floor(starts * 255 + 0.5).astype(np.uint8)
        return levels, edges[levels]

    levels, edges = _KEPT.get(("encoding",), make)
    return levels, edges
