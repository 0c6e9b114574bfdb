"""The fused back end: a program as one compiled loop over pixels, in bands on all cores.

The text of the loop (see `loops`) and the code that Numba makes of it are kept in the cache folder, so that a program
is compiled once. Compiling takes seconds; do it on a worker.
"""

import os
from collections.abc import Callable, Collection, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.graph.compiling import Request, compiled
from even_palette.core.graph.loop_slots import (
    NO_LEVELS,
    SlotReading,
    bytes_taken,
    encoding_tables,
    level_kind,
    rows_of,
    table_of,
    whole_arguments,
)
from even_palette.core.graph.loops import write_loop
from even_palette.core.graph.program import LOOK_UPS, OF_LEVELS, Program
from even_palette.core.graph.slots import Slot
from even_palette.core.jobs import CancelToken, Progress, silent
from even_palette.core.raster.pixel_footprint import Covered, covered_by
from even_palette.core.raster.plane import Encoding
from even_palette.core.raster.sampling import Filter, Wrap, pixel_numbers, texel_centres
from even_palette.core.raster.tiles import kind_of

BAND_ROWS = 64
TEXTURED = ("sample", "layer")
"""Look-ups that choose their mips by how far places are from pixel to pixel."""
STORES = {"float": np.float32, "level": np.uint8, "encoded": np.uint8}
"""How an output is kept: as it is, as 8-bit levels, or encoded sRGB as 8-bit levels."""


@dataclass(frozen=True)
class Frame:
    """The pixels that are wanted: how many, the uv of the upper left corner, and how far uv goes in a pixel.

    `corner` is the column and row of the first one, where they are part of a picture.
    """

    width: int
    height: int
    origin: tuple[float, float] = (0.0, 0.0)
    step: tuple[float, float] = (0.0, 0.0)
    corner: tuple[int, int] = (0, 0)

    @property
    def steps(self) -> tuple[float, float]:
        """uv per pixel; without a step the pixels cover the sheet."""
        return self.step if any(self.step) else (1 / self.width, 1 / self.height)

    @property
    def is_whole_sheet(self) -> bool:
        """Whether pixel i of n lies at (i + 0.5) / n."""
        return self.origin == (0.0, 0.0) and self.steps == (1 / self.width, 1 / self.height)

    def uv(self) -> Floats:
        """uv of every pixel centre, (height, width, 2) float32."""
        if self.is_whole_sheet:
            return texel_centres(self.height, self.width)
        sides = zip(self.origin, self.steps, (self.width, self.height), strict=True)
        u, v = (float32(left + (np.arange(count) + 0.5) * step) for left, step, count in sides)
        return np.stack(np.broadcast_arrays(u[None, :], v[:, None]), axis=-1)

    def screen(self) -> Floats:
        """Column and row of every pixel, (height, width, 2) float32."""
        return pixel_numbers(self.width, self.height, self.corner)


def run_fused(
    program: Program,
    slots: Mapping[str, Slot],
    inputs: Mapping[str, float | tuple[float, ...]],
    frame: Frame,
    stores: Mapping[str, str] | None = None,
    seed: float = 0.0,
    time: float = 0.0,
    progress: Progress = silent,
    cancel: CancelToken | None = None,
    as_pixels: Collection[str] = (),
) -> dict[str, Samples]:
    """The outputs of a program at every pixel, (height, width, n); float32, or as `stores` says (see STORES).

    What is minified is read from mips. The slots `as_pixels` have a texel for each pixel of the frame, wherever it
    lies. Raises KeyError for an input or a slot that is missing, and Cancelled.
    """
    stores = {name: (stores or {}).get(name, "float") for name in program.outputs}
    loop, bound = prepare(program, slots, frame, stores, as_pixels)
    out = {
        name: np.empty((frame.height, frame.width, program.records[at].type.size), STORES[stores[name]])
        for name, at in program.outputs.items()
    }
    values = [np.ravel(inputs[name]) for name in program.parameters]
    flat = float32(np.concatenate(values)) if values else np.zeros(1, np.float32)
    lods = float32([_numbers(_covered(slots[name], frame)) for name in bound] or [[0, 1, 0, 0]])
    held = {
        name: whole_arguments(slots[name], how, _levels_read(program, name, slots[name], how, frame))
        for name, how in bound.items()
    }
    done = [0]

    def band(first: int) -> None:
        if cancel:
            cancel.check()
        last = min(first + BAND_ROWS, frame.height)
        given = []
        for name, how in bound.items():
            whole = held[name]
            given += [rows_of(slots[name], first, last) if how.direct else whole[0], *whole[1:]]
        planes = [plane[first:last] for plane in out.values()]
        loop(*_in_order((first, last - first, frame.width), frame, flat, seed, time, lods, given, planes))
        done[0] += last - first
        progress(done[0] / frame.height, "Colours")

    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        for job in [pool.submit(band, first) for first in range(0, frame.height, BAND_ROWS)]:
            job.result()
    return out


def _in_order(
    rows: tuple[int, int, int],
    frame: Frame,
    values: Floats,
    seed: float,
    time: float,
    lods: Floats,
    slots: Sequence[Samples],
    planes: Sequence[Samples],
) -> list[Any]:
    """The arguments of a loop. All that it reads is read-only, so that its kind does not hang on where it is from."""
    (across, down), (left, top) = frame.steps, frame.origin
    column, row = frame.corner
    read = [values, float32((across, 0, 0, down)), lods, *encoding_tables(), *slots]
    flat, pixel, lods, table, edges, *given = map(_read_only, read)
    numbers = *rows, column, row, left, top, across, down
    return [*numbers, flat, np.float32(seed), np.float32(time), pixel, lods, table, edges, *given, *planes]


def _read_only(array: Samples) -> Samples:
    seen = array.view()
    seen.flags.writeable = False
    return seen


def prepare(
    program: Program,
    slots: Mapping[str, Slot],
    frame: Frame,
    stores: Mapping[str, str],
    as_pixels: Collection[str] = (),
) -> tuple[Callable[..., None], dict[str, SlotReading]]:
    """The compiled loop of a program for slots of these kinds, and how it reads each slot."""
    text, bound = _written(program, slots, frame, stores, as_pixels)
    return compiled(text), bound


def _written(
    program: Program, slots: Mapping[str, Slot], frame: Frame, stores: Mapping[str, str], as_pixels: Collection[str]
) -> tuple[str, dict[str, SlotReading]]:
    bound = {name: _bound(program, name, slots[name], frame, name in as_pixels) for name in program.slots}
    return _text_of(program, tuple(bound.items()), tuple(stores.items())), bound


@lru_cache(maxsize=64)
def _text_of(program: Program, bound: tuple[tuple[str, SlotReading], ...], stores: tuple[tuple[str, str], ...]) -> str:
    return write_loop(program, dict(bound), dict(stores))


def request(
    program: Program,
    slots: Mapping[str, Slot],
    frame: Frame,
    stores: Mapping[str, str] | None = None,
    as_pixels: Collection[str] = (),
) -> Request:
    """What compiling needs for `run_fused` with these: a loop's text, and arguments of its kinds."""
    stores = {name: (stores or {}).get(name, "float") for name in program.outputs}
    text, bound = _written(program, slots, frame, stores, as_pixels)
    given: list[Samples] = []
    for name, how in bound.items():
        plane = slots[name].plane
        kind = kind_of(plane)
        levels = np.zeros((1, plane.channels if how.chained else 4), level_kind(plane, how))
        colours = table_of(kind.name, plane.encoding == Encoding.SRGB)
        given += [np.zeros((1, 1, 1, plane.channels), kind), colours, table_of(kind.name, False), levels]
        given += [table_of(levels.dtype.name, False), NO_LEVELS[1]]
    planes = [
        np.zeros((0, frame.width, program.records[at].type.size), STORES[stores[name]])
        for name, at in program.outputs.items()
    ]
    return text, _in_order(
        (0, 0, 0), frame, np.zeros(1, np.float32), 0.0, 0.0, np.zeros((1, 4), np.float32), given, planes
    )


@lru_cache(maxsize=64)
def _reads(program: Program) -> dict[str, set[tuple[str, str]]]:
    """How each slot is looked up in: the operations, each with that of its place."""
    found: dict[str, set[tuple[str, str]]] = {}
    for record in program.records:
        if record.op in LOOK_UPS:
            place = program.records[record.args[0]].op
            found.setdefault(str(record.payload[0]), set()).add((record.op, place))
    return found


def _bound(program: Program, name: str, slot: Slot, frame: Frame, as_pixel: bool = False) -> SlotReading:
    plane, sampler = slot.plane, slot.sampler
    if as_pixel:
        return SlotReading(plane.channels, False, False, False, direct=True, shares=slot.shares)
    same = frame.is_whole_sheet and (plane.width, plane.height) == (frame.width, frame.height)
    reads = _reads(program)[name]
    plain = all(op in TEXTURED and place == "uv" for op, place in reads)
    seen = _covered(slot, frame)
    minified = sampler.mips and (seen.level > 0 or seen.probes > 1) and any(op in TEXTURED for op, _ in reads)
    chained = minified or (sampler.mips and any(op in OF_LEVELS for op, _ in reads))
    floats = kind_of(plane).kind == "f"
    return SlotReading(
        plane.channels,
        not floats,
        sampler.filter == Filter.NEAREST,
        sampler.wrap == Wrap.REPEAT,
        same and plain,
        minified,
        chained,
        not chained or plane.encoding == Encoding.SRGB or not floats,
        slot.shares,
        seen.probes > 1,
        sampler.bias,
    )


def _levels_read(program: Program, name: str, slot: Slot, how: SlotReading, frame: Frame) -> tuple[int, ...]:
    """The levels of a slot that a frame reads; none where they are chosen texel by texel, or not read at all."""
    if not how.minified or any(op not in TEXTURED for op, _ in _reads(program)[name]):
        return ()
    low, last = int(_covered(slot, frame).level), slot.chain.count - 1
    return tuple(sorted({min(low, last), min(low + 1, last)}))


def bytes_read(program: Program, slots: Mapping[str, Slot], frame: Frame, as_pixels: Collection[str] = ()) -> int:
    """About how much memory `run_fused` takes for what it reads, in bytes, beside what is there anyway."""
    bound = {name: _bound(program, name, slots[name], frame) for name in program.slots if name not in as_pixels}
    return sum(
        bytes_taken(slots[name], how, _levels_read(program, name, slots[name], how, frame))
        for name, how in bound.items()
    )


def _covered(slot: Slot, frame: Frame) -> Covered:
    """What a pixel covers of a plane that lies over the sheet as it is."""
    steps = frame.steps
    return covered_by(slot.plane.width, slot.plane.height, (steps[0], 0.0, 0.0, steps[1]), slot.sampler)


def _numbers(covered: Covered) -> list[float]:
    """What a loop is told of it: the level, how many probes, and how far uv goes along them."""
    return [covered.level, covered.probes, *covered.axis]
