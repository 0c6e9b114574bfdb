"""What is left of a picture that a runtime looks up in a palette: under filters, in mips, and in compressed blocks."""

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np

from even_palette.core.arrays import Floats, Levels, Samples, float32
from even_palette.core.colour.ciede2000 import ciede2000
from even_palette.core.colour.cielab import linear_to_cielab
from even_palette.core.colour.oklab import linear_to_oklab
from even_palette.core.colour.srgb import linear_to_srgb
from even_palette.core.jobs import CancelToken, Progress, silent
from even_palette.core.proof.blocks import Block, block_bytes
from even_palette.core.proof.blocks_apart import through_blocks_apart
from even_palette.core.proof.degrade import most_frequent
from even_palette.core.raster.mips import shrunk
from even_palette.core.raster.plane import Encoding, Plane, decode_levels, to_levels8
from even_palette.core.raster.sampling import SHARP, SMOOTH, Sampler, sample, texel_centres
from even_palette.core.raster.strip import look_up
from even_palette.core.tones.index_map import stored_levels

MAGNIFIED = 1.5
PLAIN = "index, 8 bits"
MOST_MIPS = 4
MOST_SIDE = 1024
"""Of a larger picture the middle is measured."""
MOST_COMPARED = 1 << 18
"""CIEDE2000 is taken of so many texels at the most, evenly spread."""


@dataclass(frozen=True)
class Errors:
    """Mean and 95th percentile of the difference from the source: in OKLab x 100, and in CIEDE2000."""

    oklab: float
    oklab_95: float
    ciede2000: float
    ciede2000_95: float


@dataclass(frozen=True)
class Way:
    """One way in which the picture may be shown: what is stored, how it is looked at, and how large that is.

    `scale` is texels on screen a texel: 1, 1.5 for magnified, 1/2 and less for mips.
    """

    name: str
    stored: str
    scale: float
    texture_bytes: int


@dataclass(frozen=True, eq=False)
class Survivor:
    """A way with what came of it: (h, w, 3) uint8 encoded, beside the source under the same sampling."""

    way: Way
    errors: Errors
    shown: Levels
    source: Levels

    def difference(self) -> Levels:
        """Where it differs, (h, w, 3) uint8: grey 0 for the same, 255 for an OKLab distance of 0.1 and more."""
        apart = _distance(linear_to_oklab(decode_levels(self.shown)), linear_to_oklab(decode_levels(self.source)))
        return np.repeat(to_levels8(apart * 10)[..., None], 3, axis=-1)


def survive(
    source: Levels,
    indices: Levels,
    strip: Levels,
    progress: Progress = silent,
    cancel: CancelToken | None = None,
) -> list[Survivor]:
    """All ways of showing a picture (H, W, 3) by its index map (H, W) of entry numbers and its strip (n, 3), uint8.

    Raises Cancelled.
    """
    source, indices = middle(source), middle(indices)
    paint = Plane(source, Encoding.SRGB)
    runtime = _Runtime(source, stored_levels(len(strip))[indices], strip)
    makers = list(_ways(runtime))
    found = []
    for number, (way, make) in enumerate(makers):
        if cancel:
            cancel.check()
        progress(number / len(makers), way.name)
        shown, under = make(), sampled_source(paint, way.scale)
        found.append(Survivor(way, errors_of(shown, under), _encoded(shown), _encoded(under)))
    progress(1.0, "Done")
    return found


def mean_errors(source: Levels, indices: Levels, strip: Levels) -> tuple[float, float, float, float]:
    """Mean OKLab errors x 100 of a palette: its fit, filtered magnified, in the first averaged mip, and in BC4."""
    paint = Plane(source, Encoding.SRGB)
    runtime = _Runtime(source, stored_levels(len(strip))[indices], strip)
    ways = (
        (runtime.seen(PLAIN, "nearest", 1.0), 1.0),
        (runtime.seen(PLAIN, "filtered", MAGNIFIED), MAGNIFIED),
        (runtime.mip(PLAIN, "averaged", 1), 0.5),
        (runtime.seen("index in BC4", "filtered", 1.0), 1.0),
    )
    fit, magnified, mip, blocks = (errors_of(shown, sampled_source(paint, scale)).oklab for shown, scale in ways)
    return fit, magnified, mip, blocks


def middle(levels: Levels) -> Levels:
    """The middle of a picture, at most 1024 texels a side."""
    top, left = (max(0, side - MOST_SIDE) // 2 for side in levels.shape[:2])
    return np.ascontiguousarray(levels[top : top + MOST_SIDE, left : left + MOST_SIDE])


class _Runtime:
    """The textures of a picture, and what a sampler makes of them, in linear light."""

    def __init__(self, source: Levels, stored: Levels, strip: Levels) -> None:
        self.source, self.count = source, len(strip)
        self.strip = Plane(strip[None], Encoding.SRGB)
        self.height, self.width = int(stored.shape[0]), int(stored.shape[1])
        self._plain = stored[..., None]
        self._compressed: dict[str, Levels] = {}

    def index(self, stored: str) -> Levels:
        """The index map (H, W, 1) as it is stored."""
        if stored == PLAIN:
            return self._plain
        if stored not in self._compressed:
            block = Block.BC4 if stored == "index in BC4" else Block.BC7
            self._compressed[stored] = through_blocks_apart(self._plain, block)
        return self._compressed[stored]

    def bytes_of(self, stored: str) -> int:
        """Bytes of a texture, with mips, and of the strip."""
        strip = 4 * self.count
        if stored == PLAIN:
            return self.width * self.height * 4 // 3 + strip
        match stored:
            case "colour in BC1":
                return block_bytes(Block.BC1, self.width, self.height) * 4 // 3
            case "colour in BC7":
                return block_bytes(Block.BC7, self.width, self.height) * 4 // 3
            case _:
                block = Block.BC4 if stored == "index in BC4" else Block.BC7
                return block_bytes(block, self.width, self.height) * 4 // 3 + strip

    def look_up(self, positions: Floats) -> Floats:
        """Colours (..., 3) of positions 0..1 in the strip, filtered."""
        return look_up(self.strip, positions, np.zeros_like(positions))

    def exact(self, positions: Floats) -> Floats:
        """Colours of the entries that positions 0..1 are nearest to."""
        last = max(1, self.count - 1)
        return self.look_up(float32(np.floor(positions * last + 0.5) / last))

    def seen(self, stored: str, how: str, scale: float) -> Floats:
        """The picture at a scale of 1 or more, (h, w, 3) linear."""
        plane = Plane(self.index(stored), Encoding.DATA)
        uv = _uv(self.height, self.width, scale)
        match how:
            case "nearest":
                return self.exact(sample(plane, uv, SHARP)[..., 0])
            case "filtered":
                return self.look_up(sample(plane, uv, SMOOTH)[..., 0])
            case _:
                colours = self.exact(plane.values()[..., 0])
                return sample(Plane(colours, Encoding.LINEAR), uv, SMOOTH)

    def mip(self, stored: str, how: str, level: int) -> Floats:
        """The picture in a mip, (h, w, 3) linear."""
        values = Plane(self.index(stored), Encoding.DATA).values()[..., 0]
        match how:
            case "averaged":
                return self.look_up(shrunk(values[..., None], level)[..., 0])
            case "most frequent":
                found = most_frequent(self.index(stored)[..., :1], level)[..., 0]
                return self.exact(float32(found) / np.float32(255))
            case _:
                return shrunk(self.exact(values), level)

    def colour(self, stored: str) -> Plane:
        """The picture itself in blocks."""
        if stored not in self._compressed:
            block = Block.BC1 if stored == "colour in BC1" else Block.BC7
            self._compressed[stored] = through_blocks_apart(self.source, block)
        return Plane(self._compressed[stored], Encoding.SRGB)


def _ways(runtime: _Runtime) -> Iterator[tuple[Way, Callable[[], Floats]]]:
    plain = PLAIN

    def way(name: str, stored: str, scale: float) -> Way:
        return Way(name, stored, scale, runtime.bytes_of(stored))

    yield way("Quantized", plain, 1.0), lambda: runtime.seen(plain, "nearest", 1.0)
    for how, name in LOOK_UPS.items():
        yield way(name, plain, MAGNIFIED), lambda how=how: runtime.seen(plain, how, MAGNIFIED)  # type: ignore[misc]
    for level in range(1, mips_of(runtime.width, runtime.height) + 1):
        for how, name in MIPS.items():
            yield way(name, plain, 0.5**level), lambda how=how, level=level: runtime.mip(plain, how, level)  # type: ignore[misc]
    for stored in ("index in BC4", "index in BC7"):
        yield way("Filtered after look-up", stored, 1.0), lambda s=stored: runtime.seen(s, "filtered", 1.0)  # type: ignore[misc]
        yield way(LOOK_UPS["filtered"], stored, MAGNIFIED), lambda s=stored: runtime.seen(s, "filtered", MAGNIFIED)  # type: ignore[misc]
        yield way(MIPS["averaged"], stored, 0.5), lambda s=stored: runtime.mip(s, "averaged", 1)  # type: ignore[misc]
    for stored in ("colour in BC1", "colour in BC7"):
        for scale in (1.0, MAGNIFIED, 0.5):
            yield (
                way("Colour, no palette", stored, scale),
                lambda s=stored, scale=scale: sampled_source(  # type: ignore[misc]
                    runtime.colour(s), scale
                ),
            )


LOOK_UPS = {"nearest": "Nearest index", "filtered": "Index filtered, then look-up", "four": "Four look-ups, filtered"}
MIPS = {
    "averaged": "Mip of averaged indices",
    "most frequent": "Mip of the most frequent index",
    "first": "Mip after look-up",
}


def mips_of(width: int, height: int) -> int:
    """How many mips are looked at: four, or as many as there are."""
    return min(MOST_MIPS, min(width, height).bit_length() - 1)


def sampled_source(plane: Plane, scale: float) -> Floats:
    """A picture of colour at a scale, (h, w, 3) linear: filtered if it is larger, as a mip if it is smaller."""
    if scale < 1:
        return shrunk(plane.linear(), round(math.log2(1 / scale)))
    if scale == 1:
        return plane.linear()
    return sample(plane, _uv(plane.height, plane.width, scale), Sampler())


def _uv(height: int, width: int, scale: float) -> Floats:
    return texel_centres(round(height * scale), round(width * scale))


def errors_of(shown: Floats, source: Floats) -> Errors:
    """How far linear colours (h, w, 3) lie from others of the same size."""
    apart = _distance(linear_to_oklab(shown), linear_to_oklab(source)) * 100
    step = max(1, -(-apart.size // MOST_COMPARED))
    some = [np.clip(part.reshape(-1, 3)[::step], 0, 1) for part in (shown, source)]
    seen = ciede2000(linear_to_cielab(float32(some[0])), linear_to_cielab(float32(some[1])))
    return Errors(float(apart.mean()), _top(apart), float(seen.mean()), _top(seen))


def _distance(one: Floats, other: Floats) -> Floats:
    return float32(np.sqrt(np.square(one - other).sum(axis=-1)))


def _top(values: Samples) -> float:
    return float(np.percentile(values, 95))


def _encoded(linear: Floats) -> Levels:
    return to_levels8(linear_to_srgb(float32(np.clip(linear, 0, 1))))


def verdict(found: list[Survivor], budget_bytes: int) -> str:
    """Which way of storing the picture stays nearest to it, magnified and in its first mip, within so many bytes."""
    scores: dict[str, tuple[float, int]] = {}
    for stored in dict.fromkeys(each.way.stored for each in found):
        for name in dict.fromkeys(each.way.name for each in found if each.way.stored == stored and each.way.scale > 1):
            mip = MIPS["first"] if name == LOOK_UPS["four"] else MIPS["averaged"]
            wanted = [name, mip] if stored.startswith("index") else [name]
            parts = [e for e in found if e.way.stored == stored and e.way.name in wanted and e.way.scale in (1.5, 0.5)]
            told = f"{stored}, {name[0].lower()}{name[1:]}" if stored.startswith("index") else stored
            scores[told] = (sum(e.errors.oklab for e in parts) / len(parts), parts[0].way.texture_bytes)
    within = {told: score for told, (score, taken) in scores.items() if taken <= budget_bytes}
    if not within:
        least = min(taken for _, taken in scores.values())
        return f"Nothing fits into {budget_bytes / 1024:,.0f} KiB; the smallest way takes {least / 1024:,.0f} KiB."
    ranked = sorted(within.items(), key=lambda item: item[1])
    best, score = ranked[0]
    rest = f" Next: {ranked[1][0]}, {ranked[1][1]:.2f}." if len(ranked) > 1 else ""
    return f"Nearest to the source within {budget_bytes / 1024:,.0f} KiB: {best}, mean error {score:.2f}.{rest}"
