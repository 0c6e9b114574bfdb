"""A map as a runtime has it: its chain made smaller, with levels made in a stated way, in blocks, perhaps misread."""

from collections.abc import Callable

import numpy as np

from even_palette.core.arrays import Floats, Levels, Samples, float32
from even_palette.core.colour.srgb import linear_to_srgb
from even_palette.core.graph.slots import Slot
from even_palette.core.jobs import CancelToken
from even_palette.core.proof.blocks_apart import encoded_apart, through_blocks_apart
from even_palette.core.proof.conditions import AS_MEANT, MapConditions, MapFacts, Mips, ReadAs, Use, depth_of
from even_palette.core.raster.blocks import CHANNELS, Block
from even_palette.core.raster.chain import Chain
from even_palette.core.raster.mips import halved
from even_palette.core.raster.plane import Encoding, Plane, to_levels8
from even_palette.core.raster.sampling import Sampler, Wrap
from even_palette.core.raster.texture import Texture

MOST = {"u1": 255, "u2": 65535, "f2": 1, "f4": 1}
"""What stands for 1 in numbers of a depth."""


def degraded(slot: Slot, conditions: MapConditions, made: Callable[[Chain], Chain]) -> Slot:
    """A slot under conditions: the same program samples it. `made` gives a chain under them (see `degraded_chain`)."""
    mips = slot.sampler.mips and conditions.mips != Mips.NONE
    wrap = Wrap(conditions.wrap) if conditions.wrap else slot.sampler.wrap
    filtered = conditions.filter or slot.sampler.filter
    sampler = Sampler(filtered, wrap, mips, conditions.anisotropy, conditions.bias)
    chains = slot.chains if is_untouched(conditions) else tuple(map(made, slot.chains))
    return Slot(chains, sampler, slot.is_array, slot.shares)


def is_untouched(conditions: MapConditions) -> bool:
    """Whether the texels of a map, and of its levels, are as they are meant."""
    return conditions.stored in (AS_MEANT, MapConditions(mips=Mips.NONE))


def degraded_chain(
    chain: Chain, conditions: MapConditions, facts: MapFacts, cancel: CancelToken | None = None, most: int = 0
) -> Chain:
    """A chain of levels under conditions, as deep as they are stored; colour is stored encoded. Raises Cancelled.

    With `most`, levels with a longer side are not put into blocks: it takes long, and a whole view reads none of them.
    """
    first = min(conditions.smaller, chain.count - 1)
    is_colour = chain.plane.encoding == Encoding.SRGB
    encoding = {ReadAs.SRGB: Encoding.SRGB, ReadAs.DATA: Encoding.DATA}.get(
        conditions.read_as, Encoding.SRGB if is_colour else chain.plane.encoding
    )
    planes, end = list[Plane](), _end(chain, first, conditions.mips, facts)
    as_blocks = chain.plane.samples.dtype == np.uint8
    if most and as_blocks and conditions.read_as == ReadAs.MEANT and conditions.mips in (Mips.LINEAR, Mips.NONE):
        longest = max(chain.plane.width, chain.plane.height)
        planes = [chain.level(number) for number in range(first, end) if longest >> number > most]
    rest = first + len(planes)
    for level in _levels(chain, rest, conditions, facts, is_colour) if rest < end else []:
        if cancel:
            cancel.check()
        is_later = most and max(level.shape[:2]) > most
        planes.append(Plane(level if is_later else _stored(level, conditions, facts, cancel), encoding))
    return Chain(planes[0], tuple(planes[1:]))


def texture_of(slot: Slot, conditions: MapConditions, facts: MapFacts, cancel: CancelToken | None = None) -> Texture:
    """A slot under conditions as a file holds it: the very blocks, or texels, of all levels. Raises Cancelled."""
    layers, block = list[tuple[bytes, ...]](), conditions.block
    is_colour = slot.plane.encoding == Encoding.SRGB
    channels = facts.channels if block is not None or facts.channels != 3 else 4
    for chain in slot.chains:
        first = min(conditions.smaller, chain.count - 1)
        levels = _levels(chain, first, conditions, facts, is_colour)
        found = []
        for level in levels:
            if cancel:
                cancel.check()
            found.append(
                _texels(level, channels, depth_of(conditions, facts))
                if block is None
                else encoded_apart(_for_blocks(level, block, facts), block, cancel)
            )
        layers.append(tuple(found))
    height, width = levels[0].shape[:2]
    depth = depth_of(conditions, facts)
    bits, is_float = 8 * int(depth[1]), depth[0] == "f"
    return Texture(width, height, block, channels, bits, is_colour, tuple(layers), slot.is_array, is_float)


def _texels(level: Samples, channels: int, depth: str) -> bytes:
    missing = channels - level.shape[-1]
    if missing:
        level = np.pad(level, ((0, 0), (0, 0), (0, missing)), constant_values=MOST[depth])
    return level.astype(f"<{depth}").tobytes()


def _for_blocks(level: Samples, block: Block, facts: MapFacts) -> Levels:
    """Of normals, blocks of two channels hold x and y."""
    two = facts.use == Use.NORMAL and CHANNELS[block] == 2
    return np.ascontiguousarray(level[..., :2]) if two else level


def _end(chain: Chain, first: int, mips: Mips, facts: MapFacts) -> int:
    """One more than the last level; without mips there is one alone."""
    return chain.count if facts.has_mips and mips != Mips.NONE else first + 1


def _levels(chain: Chain, first: int, conditions: MapConditions, facts: MapFacts, is_colour: bool) -> list[Samples]:
    """The levels (h, w, C) from one on, as they are stored before they are compressed; only one without mips. Half
    floats are float32 with what those can hold.
    """
    mips, depth = conditions.mips, depth_of(conditions, facts)
    end, most = _end(chain, first, mips, facts), MOST[depth]
    if mips in (Mips.LINEAR, Mips.NONE):
        return [_as_stored(chain.level(number), is_colour, depth) for number in range(first, end)]
    top = _as_stored(chain.plane, is_colour, depth)
    if mips == Mips.FILE:
        return [_as_stored(level, is_colour, depth) for level in _of_file(chain, end)[first:]]
    if mips == Mips.FREQUENT:
        return [most_frequent(top, number) for number in range(first, end)]
    value, levels = float32(top), [top]
    while len(levels) < end:
        value = halved(value)
        if mips == Mips.NORMALS and value.shape[-1] >= 3:
            value = _of_length_1(value, most)
        levels.append(_rounded(value / np.float32(most), depth))
    return levels[first:]


def _of_file(chain: Chain, count: int) -> list[Plane]:
    """The levels that the file of a plane has of its own; those that it lacks are made of its last."""
    there = [chain.plane, *(Plane(level, chain.plane.encoding) for level in chain.plane.levels)][:count]
    last = Chain(there[-1])
    return [*there, *(last.level(number) for number in range(1, count - len(there) + 1))]


def _as_stored(level: Plane, is_colour: bool, depth: str) -> Samples:
    encoded = not is_colour or level.encoding == Encoding.SRGB
    if encoded and level.samples.dtype == np.dtype(depth):
        return np.ascontiguousarray(level.samples)
    values = level.values()
    if not encoded:
        values = values.copy()
        colours = 3 if level.channels > 2 else 1
        values[..., :colours] = linear_to_srgb(values[..., :colours])
    return _rounded(values, depth)


def _rounded(values: Floats, depth: str) -> Samples:
    """Values 0..1, or any for floats, as numbers of a depth hold them."""
    if depth == "u1":
        return to_levels8(values)
    if depth == "u2":
        return np.asarray(np.clip(np.nan_to_num(values), 0, 1) * 65535 + 0.5, dtype=np.uint16)
    return float32(values.astype(np.float16)) if depth == "f2" else float32(values)


def _of_length_1(value: Floats, most: float) -> Floats:
    """Normals stored as (n + 1) / 2 times the most, of length 1 again."""
    n = value[..., :3] / np.float32(most / 2) - 1
    n = n / np.maximum(np.linalg.norm(n, axis=-1, keepdims=True), 1e-6)
    return np.concatenate([(n + 1) * np.float32(most / 2), value[..., 3:]], axis=-1)


def _stored(level: Samples, conditions: MapConditions, facts: MapFacts, cancel: CancelToken | None) -> Samples:
    block = conditions.block
    if block is None:
        return level
    if facts.use == Use.NORMAL and CHANNELS[block] == 2 and level.shape[-1] >= 3:
        return _with_z(through_blocks_apart(np.ascontiguousarray(level[..., :2]), block, cancel), level)
    return through_blocks_apart(level, block, cancel)


def _with_z(two: Levels, level: Levels) -> Levels:
    """Normals of which a runtime has x and y alone: z follows, as their length is 1."""
    n = float32(two) / np.float32(127.5) - 1
    z = np.sqrt(np.maximum(1 - np.square(n).sum(axis=-1), 0))
    third = np.asarray((z + 1) * 127.5 + 0.5, dtype=np.uint8)[..., None]
    return np.concatenate([two, third, level[..., 3:]], axis=-1)


def most_frequent(stored: Samples, level: int) -> Samples:
    """The texel (first channel) that occurs most often in squares of 2^level texels, the lowest of equals; the rest of
    sides that are no multiple is left out.
    """
    side = 2**level
    height, width = max(stored.shape[0] // side, 1), max(stored.shape[1] // side, 1)
    across, down = min(side, stored.shape[1]), min(side, stored.shape[0])
    squares = stored[: height * down, : width * across, 0].reshape(height, down, width, across)
    cells = np.sort(squares.transpose(0, 2, 1, 3).reshape(height * width, down * across), axis=1).astype(np.int64)
    begins = np.ones_like(cells, dtype=bool)
    begins[:, 1:] = cells[:, 1:] != cells[:, :-1]
    places = np.arange(cells.shape[1])[None]
    started = np.maximum.accumulate(np.where(begins, places, 0), axis=1)
    best = np.argmax(places - started, axis=1)
    found = cells[np.arange(len(cells)), best].reshape(height, width, 1)
    return np.asarray(np.repeat(found, stored.shape[2], axis=2), dtype=stored.dtype)
