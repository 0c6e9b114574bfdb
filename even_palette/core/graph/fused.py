"""The fused back end: a program as one compiled loop over pixels, in bands on all cores.

The text of the loop (see `loops`) and the code that Numba makes of it are kept in the cache folder, so that a program
is compiled once. Compiling takes seconds; do it on a worker.
"""

import hashlib
import importlib.util
import os
import sys
from collections import OrderedDict
from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path
from threading import Lock
from typing import Any

import numpy as np

from even_palette import __version__
from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.colour.srgb import linear_to_srgb, srgb_to_linear
from even_palette.core.disk.places import cache_home
from even_palette.core.disk.whole import write_whole
from even_palette.core.graph.loops import Bound, write_loop
from even_palette.core.graph.program import Program
from even_palette.core.graph.slots import Slot
from even_palette.core.jobs import CancelToken, Progress, silent
from even_palette.core.raster.mips import gpu_samples, level_count, level_of
from even_palette.core.raster.plane import Encoding, Plane, decode_levels, stored_values
from even_palette.core.raster.sampling import Filter, Wrap

BAND_ROWS = 64
MOST_KEPT_BYTES = 1 << 29
MOST_LOOPS = 200
"""Loops that are kept in the cache folder; those that were not used for longest go first."""
STORES = {"float": np.float32, "level": np.uint8, "encoded": np.uint8}
"""How an output is kept: as it is, as 8-bit levels, or encoded sRGB as 8-bit levels."""


@dataclass(frozen=True)
class Frame:
    """The pixels that are wanted: how many, the uv of the upper left corner, and how far uv goes in a pixel."""

    width: int
    height: int
    origin: tuple[float, float] = (0.0, 0.0)
    step: tuple[float, float] = (0.0, 0.0)

    @property
    def steps(self) -> tuple[float, float]:
        """uv per pixel; without a step the pixels cover the sheet."""
        return self.step if any(self.step) else (1 / self.width, 1 / self.height)

    @property
    def is_whole_sheet(self) -> bool:
        """Whether pixel i of n lies at (i + 0.5) / n."""
        return self.origin == (0.0, 0.0) and self.steps == (1 / self.width, 1 / self.height)


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
) -> dict[str, Samples]:
    """The outputs of a program at every pixel, (height, width, n); float32, or as `stores` says (see STORES).

    What is minified is read from mips. Raises KeyError for an input or a slot that is missing, and Cancelled.
    """
    stores = {name: (stores or {}).get(name, "float") for name in program.outputs}
    loop, bound = prepare(program, slots, frame, stores)
    out = {
        name: np.empty((frame.height, frame.width, program.records[at].type.size), STORES[stores[name]])
        for name, at in program.outputs.items()
    }
    values = [np.ravel(inputs[name]) for name in program.parameters]
    flat = float32(np.concatenate(values)) if values else np.zeros(1, np.float32)
    (across, down), (left, top) = frame.steps, frame.origin
    pixel = float32((across, 0, 0, down))
    lods = float32([_lod(slots[name], frame) for name in bound] or [0])
    held = {name: _arguments(slots[name], how) for name, how in bound.items()}
    table, edges = _encoding_tables()
    done = [0]

    def band(first: int) -> None:
        if cancel:
            cancel.check()
        last = min(first + BAND_ROWS, frame.height)
        given = []
        for name, how in bound.items():
            whole = held[name]
            given += [_rows(slots[name], first, last) if how.direct else whole[0], *whole[1:]]
        loop(
            first, last - first, frame.width, left, top, across, down, flat, np.float32(seed), np.float32(time), pixel,
            lods, table, edges, *given, *(plane[first:last] for plane in out.values()),
        )  # fmt: skip
        done[0] += last - first
        progress(done[0] / frame.height, "Colours")

    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        for job in [pool.submit(band, first) for first in range(0, frame.height, BAND_ROWS)]:
            job.result()
    return out


def prepare(
    program: Program, slots: Mapping[str, Slot], frame: Frame, stores: Mapping[str, str]
) -> tuple[Callable[..., None], dict[str, Bound]]:
    """The compiled loop of a program for slots of these kinds, and how it reads each slot."""
    bound = {name: _bound(program, name, slots[name], frame) for name in program.slots}
    return _compiled(write_loop(program, bound, stores)), bound


def _bound(program: Program, name: str, slot: Slot, frame: Frame) -> Bound:
    plane, sampler = slot.plane, slot.sampler
    same = frame.is_whole_sheet and (plane.width, plane.height) == (frame.width, frame.height)
    reads = [record for record in program.records if record.payload and record.payload[0] == name]
    plain = all(record.op in ("sample", "layer") and program.records[record.args[0]].op == "uv" for record in reads)
    minified = sampler.mips and _lod(slot, frame) > 0 and any(record.op in ("sample", "layer") for record in reads)
    chained = minified or any(record.op in ("level", "cell") for record in reads)
    floats = _kind(plane).kind == "f"
    return Bound(
        plane.channels,
        not floats,
        sampler.filter == Filter.NEAREST,
        sampler.wrap == Wrap.REPEAT,
        same and plain,
        minified,
        chained,
        not chained or plane.encoding == Encoding.SRGB or not floats,
    )


def _lod(slot: Slot, frame: Frame) -> float:
    """The level of mips that fits a plane that lies over the sheet as it is (OpenGL 4.6, section 8.14.1)."""
    longest = max(frame.steps[0] * slot.plane.width, frame.steps[1] * slot.plane.height)
    return max(0.0, float(np.log2(max(longest, 1e-30)))) if longest > 1.0001 else 0.0


def _kind(plane: Plane) -> "np.dtype[Any]":
    grid = getattr(plane, "grid", None)
    return np.dtype((grid.tiles[0].samples if grid is not None else plane.samples).dtype)


# The arguments of a slot


@dataclass
class _Kept:
    """Arguments that were made for slots, by what they hold, within a budget of bytes; the oldest go first."""

    items: "OrderedDict[tuple[object, ...], Any]" = field(default_factory=OrderedDict)
    sizes: dict[tuple[object, ...], int] = field(default_factory=dict)
    lock: Lock = field(default_factory=Lock)

    def get(self, key: tuple[object, ...], make: Callable[[], Any]) -> Any:
        with self.lock:
            if key in self.items:
                self.items.move_to_end(key)
                return self.items[key]
        made = make()
        with self.lock:
            self.items[key] = made
            self.sizes[key] = sum(array.nbytes for array in (made if isinstance(made, tuple) else (made,)))
            while sum(self.sizes.values()) > MOST_KEPT_BYTES and len(self.items) > 1:
                oldest, _ = self.items.popitem(last=False)
                del self.sizes[oldest]
        return made


_KEPT = _Kept()
NO_LEVELS = np.zeros((1, 4), np.uint8), np.zeros((1, 1, 3), np.int64)
"""What a loop is given for levels that it does not read."""


def _arguments(slot: Slot, how: Bound) -> tuple[Samples, ...]:
    """Samples, tables of colours and data, levels with their table and places, as a loop takes them."""
    plane = slot.plane
    kind = _kind(plane)
    empty = np.zeros((1, 1, 1, plane.channels), kind)
    samples = empty if how.direct else _KEPT.get(("whole", slot.content_id), lambda: _stacked(slot))
    colours = _table(kind.name, plane.encoding == Encoding.SRGB)
    levels, places = NO_LEVELS
    if how.chained:
        levels, places = _KEPT.get(("levels", slot.content_id), lambda: _chain(slot))
    return samples, colours, _table(kind.name, False), levels, _table(levels.dtype.name, False), places


def _stacked(slot: Slot) -> Samples:
    planes = [np.ascontiguousarray(plane.samples) for plane in slot.planes]
    if slot.plane.encoding == Encoding.SRGB and planes[0].dtype == np.float32:
        planes = [np.ascontiguousarray(plane.linear()) for plane in slot.planes]
    return planes[0][None] if len(planes) == 1 else np.stack(planes)


def _rows(slot: Slot, first: int, last: int) -> Samples:
    planes = [plane.rows(first, last) for plane in slot.planes]
    floats = slot.plane.encoding == Encoding.SRGB and planes[0].samples.dtype == np.float32
    bands = [np.ascontiguousarray(plane.linear() if floats else plane.samples) for plane in planes]
    return bands[0][None] if len(bands) == 1 else np.stack(bands)


def _table(kind: str, colours: bool) -> Floats:
    if np.dtype(kind).kind == "f":
        return np.zeros(1, np.float32)
    every = np.arange(np.iinfo(np.dtype(kind)).max + 1).astype(kind)
    found: Floats = _KEPT.get(
        ("table", kind, colours), lambda: decode_levels(every) if colours else stored_values(every)
    )
    return found


def _chain(slot: Slot) -> tuple[Samples, Samples]:
    """All levels of all layers as a list of texels (n, C), and where each begins with its size."""
    count = level_count(slot.plane.height, slot.plane.width)
    places = np.zeros((len(slot.planes), count, 3), np.int64)
    parts, begin = [], 0
    for layer, plane in enumerate(slot.planes):
        for number in range(count):
            level = level_of(plane, number)
            texels = gpu_samples(level.samples, plane.encoding) if number == 0 else level.samples
            places[layer, number] = begin, level.height, level.width
            parts.append(texels.reshape(-1, texels.shape[-1]))
            begin += level.height * level.width
    return np.ascontiguousarray(np.concatenate(parts)), places


def _encoding_tables() -> tuple[Samples, Floats]:
    """For 4096 parts of linear light the 8-bit level at the start of each, and the light at which each level ends.

    No part is longer than 0.81 of a level (12.92 * 255 / 4095), so at most one level ends in it.
    """

    def make() -> tuple[Samples, Floats]:
        edges = np.append(srgb_to_linear(float32((np.arange(255) + 0.5) / 255)), np.float32(np.inf))
        starts = linear_to_srgb(float32(np.arange(4096) / 4095))
        return np.floor(starts * 255 + 0.5).astype(np.uint8), edges

    found: tuple[Samples, Floats] = _KEPT.get(("encoding",), make)
    return found


# Compiling


_loops: dict[str, Callable[..., None]] = {}
_compiling = Lock()


def _compiled(text: str) -> Callable[..., None]:
    """The function `loop` of a text, from the cache folder if it is there; another text there is replaced."""
    name = "loop_" + hashlib.blake2b(f"{__version__}{text}".encode(), digest_size=16).hexdigest()
    with _compiling:
        if name not in _loops:
            try:
                _loops[name] = _from_folder(cache_home() / "loops", name, text)
            except OSError:  # a full disk, or a folder that is not ours: the loop is compiled for this process alone
                space: dict[str, Any] = {}
                exec(text.replace("cache=True, ", ""), space)
                _loops[name] = space["loop"]
        return _loops[name]


def _from_folder(folder: Path, name: str, text: str) -> Callable[..., None]:
    folder.mkdir(parents=True, exist_ok=True)
    path = folder / f"{name}.py"
    if not path.is_file() or path.read_bytes() != text.encode():
        write_whole(path, text.encode())
        _forget_old(folder)
    os.utime(path)
    spec = importlib.util.spec_from_file_location(f"even_palette_{name}", path)
    assert spec is not None
    assert spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    sys.modules[spec.name] = module
    spec.loader.exec_module(module)
    loop: Callable[..., None] = module.loop
    return loop


def _forget_old(folder: Path) -> None:
    """Remove the loops that were not used for longest, with what Numba keeps of them."""
    kept = sorted(folder.glob("loop_*.py"), key=lambda path: path.stat().st_mtime, reverse=True)
    for path in kept[MOST_LOOPS:]:
        for part in (*(folder / "__pycache__").glob(f"{path.stem}*"), path):
            part.unlink(missing_ok=True)
