"""What is left of a picture that a runtime looks up in a palette: under filters, in mips, and in compressed blocks.

Each way is one of four small programs under conditions of its maps, as everywhere else (`proof/degrade`).
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from even_palette.core.arrays import Floats, Levels, float32
from even_palette.core.colour.oklab import linear_to_oklab
from even_palette.core.colour.srgb import linear_to_srgb
from even_palette.core.graph import nodes, slots
from even_palette.core.graph.nodes import Node
from even_palette.core.graph.reference import Environment, evaluate
from even_palette.core.graph.slots import Slot
from even_palette.core.jobs import CancelToken, Progress, silent
from even_palette.core.material.coats.swap import looked_up
from even_palette.core.material.declare import IndexMap
from even_palette.core.material.model import PlaneKind, PlaneRef, PlaneUse
from even_palette.core.material.plane_reads import IN_STRIP, Pictures, PlaneReads, slot_name
from even_palette.core.proof.conditions import AS_MEANT, PLAIN, MapConditions, MapFacts, Mips, Use, bytes_of
from even_palette.core.proof.degrade import degraded, degraded_chain
from even_palette.core.proof.errors import Spread, colour_errors, spread_of
from even_palette.core.raster.blocks import Block
from even_palette.core.raster.chain import Chain
from even_palette.core.raster.plane import Encoding, Plane, decode_levels, to_levels8
from even_palette.core.raster.sampling import Filter, Sampler, texel_centres
from even_palette.core.tones.index_map import stored_levels

MAGNIFIED = 1.5
MOST_MIPS = 4
MOST_SIDE = 1024
"""Of a larger picture the middle is measured."""
MOST_COMPARED = 1 << 18
"""Errors are taken of so many texels at the most, evenly spread."""
INDEX, STRIP = PlaneRef(PlaneKind.TONE, "index"), PlaneRef(PlaneKind.PALETTE, "palette")
PICTURE, QUANTIZED = "picture", "quantized"
LOOK_UPS = {"nearest": "Nearest index", "filtered": "Index filtered, then look-up", "four": "Four look-ups, filtered"}
MIPS = {
    "averaged": "Mip of averaged indices",
    "most frequent": "Mip of the most frequent index",
    "first": "Mip after look-up",
}
SHARPLY = MapConditions(filter=Filter.NEAREST)
WHOLE = Sampler(Filter.NEAREST, mips=False)
"""How single texels of an index map are read."""
FREQUENT = MapConditions(mips=Mips.FREQUENT, filter=Filter.NEAREST)


@dataclass(frozen=True)
class Way:
    """One way in which the picture may be shown: its program (of LOOK_UPS, or the slot of a colour map), what is done
    to the map, at so many pixels a texel: 1, 1.5 for magnified, 1/2 and less for mips.
    """

    name: str
    program: str
    conditions: MapConditions
    scale: float

    @property
    def is_index(self) -> bool:
        """Whether an index map and a strip are stored; else it is colour."""
        return self.program in LOOK_UPS

    @property
    def stored(self) -> str:
        """What is stored, in words. A mip after look-up is what four look-ups of an index map give."""
        plain = self.conditions.format == PLAIN
        if self.is_index or plain:
            return "index, 8 bits" if plain else f"index in {self.conditions.format}"
        return f"colour in {self.conditions.format}"


@dataclass(frozen=True, eq=False)
class Survivor:
    """A way with what came of it: (h, w, 3) uint8 encoded, beside the source under the same sampling; its errors in
    OKLab x 100 and in CIEDE2000, and the bytes of its textures with all levels.
    """

    way: Way
    texture_bytes: int
    oklab: Spread
    ciede2000: Spread
    shown: Levels
    source: Levels

    def difference(self) -> Levels:
        """Where it differs, (h, w, 3) uint8: grey 0 for the same, 255 for an OKLab distance of 0.1 and more."""
        one, other = (linear_to_oklab(decode_levels(part)) for part in (self.shown, self.source))
        apart = float32(np.sqrt(np.square(one - other).sum(axis=-1)))
        return np.repeat(to_levels8(apart * 10)[..., None], 3, axis=-1)


class IndexedPicture:
    """A picture (H, W, 3) with its index map (H, W) of entry numbers and its strip (n, 3), uint8, as slots."""

    def __init__(self, source: Levels, indices: Levels, strip: Levels) -> None:
        source, indices = middle(source), middle(indices)
        self.height, self.width, self.count = *source.shape[:2], len(strip)
        stored = Plane(stored_levels(len(strip))[indices][..., None], Encoding.DATA)
        self.meant = {
            slot_name(INDEX): slots.of(stored),
            slot_name(INDEX, WHOLE): slots.of(stored, WHOLE),
            slot_name(STRIP, IN_STRIP): slots.of(Plane(strip[None], Encoding.SRGB), IN_STRIP),
            PICTURE: slots.of(Plane(source, Encoding.SRGB)),
            QUANTIZED: slots.of(Plane(strip[indices], Encoding.SRGB)),
        }
        self._made: dict[object, Chain] = {}
        self._sources: dict[float, Floats] = {}

    @cached_property
    def programs(self) -> dict[str, Node]:
        """What is drawn in each way: the look-ups of the coat that swaps colours, and colour maps as they are."""
        reads = PlaneReads(Pictures(size=lambda ref: (self.width, self.height) if ref == INDEX else (self.count, 1)))
        index, strip = reads.index(PlaneUse(INDEX)), reads.strip(PlaneUse(STRIP))
        sampled = IndexMap(index.filtered, index.filtered, index.around)  # the conditions say by which filter
        found = {way: looked_up(way, sampled, strip, nodes.as_node(0.0)) for way in LOOK_UPS}
        return found | {name: nodes.texture(name, nodes.uv())["xyz"] for name in (PICTURE, QUANTIZED)}

    def ways(self) -> Iterator[Way]:
        """All that are measured."""
        yield Way("Quantized", "nearest", SHARPLY, 1.0)
        for how, name in LOOK_UPS.items():
            yield Way(name, how, SHARPLY if how == "nearest" else AS_MEANT, MAGNIFIED)
        for level in range(1, mips_of(self.width, self.height) + 1):
            yield Way(MIPS["averaged"], "filtered", AS_MEANT, 0.5**level)
            yield Way(MIPS["most frequent"], "nearest", FREQUENT, 0.5**level)
            yield Way(MIPS["first"], QUANTIZED, AS_MEANT, 0.5**level)
        for block in (Block.BC4, Block.BC7):
            own = MapConditions(block.value)
            yield Way("Filtered after look-up", "filtered", own, 1.0)
            yield Way(LOOK_UPS["filtered"], "filtered", own, MAGNIFIED)
            yield Way(MIPS["averaged"], "filtered", own, 0.5)
        for block in (Block.BC1, Block.BC7):
            for scale in (1.0, MAGNIFIED, 0.5):
                yield Way("Colour, no palette", PICTURE, MapConditions(block.value), scale)

    def shown(self, way: Way, cancel: CancelToken | None = None) -> Floats:
        """What a way shows, (h, w, 3) linear. Raises Cancelled."""
        names = [slot_name(INDEX)] if way.is_index else [way.program]
        under = {name: self._under(name, way.conditions, cancel) for name in names}
        if way.scale < 1:
            height, width = (max(1, int(side * way.scale)) for side in (self.height, self.width))
        else:
            height, width = round(self.height * way.scale), round(self.width * way.scale)
        pixel = 1 / (self.width * way.scale), 0.0, 0.0, 1 / (self.height * way.scale)
        there = Environment(texel_centres(height, width), {**self.meant, **under}, pixel=pixel)
        return evaluate(self.programs[way.program], there)[..., :3]

    def source(self, scale: float) -> Floats:
        """The picture itself at a scale, (h, w, 3) linear: filtered if it is larger, as a mip if it is smaller."""
        if scale not in self._sources:
            self._sources[scale] = self.shown(Way("", PICTURE, AS_MEANT, scale))
        return self._sources[scale]

    def measured(self, way: Way, cancel: CancelToken | None = None) -> Survivor:
        """A way beside the source. Raises Cancelled."""
        shown, under = self.shown(way, cancel), self.source(way.scale)
        oklab, seen = errors_of(shown, under)
        return Survivor(way, self._bytes(way), oklab, seen, _encoded(shown), _encoded(under))

    def _under(self, name: str, conditions: MapConditions, cancel: CancelToken | None) -> Slot:
        def made(chain: Chain) -> Chain:
            key = name, conditions.stored
            if key not in self._made:
                self._made[key] = degraded_chain(chain, conditions, self._facts(name), cancel)
            return self._made[key]

        return degraded(self.meant[name], conditions, made)

    def _facts(self, name: str) -> MapFacts:
        plane = self.meant[name].plane
        use = {slot_name(INDEX): Use.INDEX, slot_name(STRIP, IN_STRIP): Use.STRIP}.get(name, Use.COLOUR)
        is_colour = plane.encoding == Encoding.SRGB
        return MapFacts(use, plane.channels, is_colour, 8, plane.width, plane.height, use != Use.STRIP)

    def _bytes(self, way: Way) -> int:
        if way.program == PICTURE:
            return bytes_of(way.conditions, self._facts(PICTURE))
        strip = bytes_of(AS_MEANT, self._facts(slot_name(STRIP, IN_STRIP)))
        return bytes_of(way.conditions, self._facts(slot_name(INDEX))) + strip


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
    picture = IndexedPicture(source, indices, strip)
    ways, found = list(picture.ways()), []
    for number, way in enumerate(ways):
        if cancel:
            cancel.check()
        progress(number / len(ways), way.name)
        found.append(picture.measured(way, cancel))
    progress(1.0, "Done")
    return found


def mean_errors(source: Levels, indices: Levels, strip: Levels) -> tuple[float, float, float, float]:
    """Mean OKLab errors x 100 of a palette: its fit, filtered magnified, in the first averaged mip, and in BC4."""
    picture = IndexedPicture(source, indices, strip)
    ways = (
        Way("", "nearest", SHARPLY, 1.0),
        Way("", "filtered", AS_MEANT, MAGNIFIED),
        Way("", "filtered", AS_MEANT, 0.5),
        Way("", "filtered", MapConditions(Block.BC4.value), 1.0),
    )
    fit, magnified, mip, blocks = (errors_of(picture.shown(way), picture.source(way.scale))[0].mean for way in ways)
    return fit, magnified, mip, blocks


def middle(levels: Levels) -> Levels:
    """The middle of a picture, at most 1024 texels a side."""
    top, left = (max(0, side - MOST_SIDE) // 2 for side in levels.shape[:2])
    return np.ascontiguousarray(levels[top : top + MOST_SIDE, left : left + MOST_SIDE])


def mips_of(width: int, height: int) -> int:
    """How many mips are looked at: four, or as many as there are."""
    return min(MOST_MIPS, min(width, height).bit_length() - 1)


def errors_of(shown: Floats, source: Floats) -> tuple[Spread, Spread]:
    """How far linear colours (h, w, 3) lie from others of the same size: in OKLab x 100, and in CIEDE2000."""
    height, width = source.shape[:2]
    step = max(1, -(-height * width // MOST_COMPARED))
    seen, oklab = colour_errors(*(part.reshape(-1, 3)[::step] for part in (source, shown)))
    places = texel_centres(height, width).reshape(-1, 2)[::step]
    return spread_of(oklab, places), spread_of(seen, places)


def _encoded(linear: Floats) -> Levels:
    return to_levels8(linear_to_srgb(float32(np.clip(linear, 0, 1))))


def verdict(found: Sequence[Survivor], budget_bytes: int) -> str:
    """Which way of storing the picture stays nearest to it, magnified and in its first mip, within so many bytes."""
    scores: dict[str, tuple[float, int]] = {}
    for stored in dict.fromkeys(each.way.stored for each in found):
        for name in dict.fromkeys(each.way.name for each in found if each.way.stored == stored and each.way.scale > 1):
            mip = MIPS["first"] if name == LOOK_UPS["four"] else MIPS["averaged"]
            wanted = [name, mip] if stored.startswith("index") else [name]
            parts = [e for e in found if e.way.stored == stored and e.way.name in wanted and e.way.scale in (1.5, 0.5)]
            told = f"{stored}, {name[0].lower()}{name[1:]}" if stored.startswith("index") else stored
            scores[told] = (sum(e.oklab.mean for e in parts) / len(parts), parts[0].texture_bytes)
    within = {told: score for told, (score, taken) in scores.items() if taken <= budget_bytes}
    if not within:
        least = min(taken for _, taken in scores.values())
        return f"Nothing fits into {budget_bytes / 1024:,.0f} KiB; the smallest way takes {least / 1024:,.0f} KiB."
    ranked = sorted(within.items(), key=lambda item: item[1])
    best, score = ranked[0]
    rest = f" Next: {ranked[1][0]}, {ranked[1][1]:.2f}." if len(ranked) > 1 else ""
    return f"Nearest to the source within {budget_bytes / 1024:,.0f} KiB: {best}, mean error {score:.2f}.{rest}"
