"""Chains: a plane with its levels, which is what a slot holds and every back end samples. Nothing else makes mips."""

import hashlib
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.jobs import CancelToken
from even_palette.core.memory_account import Kept
from even_palette.core.raster.mips import gpu_samples, level_count, own_levels, parts_of, tail
from even_palette.core.raster.pixel_footprint import Covered
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.sampling import SMOOTH, Filter, Sampler, sample, texel_centres
from even_palette.core.raster.tiles import Spot, Tile, TiledPlane, each_tile, kind_of, spots


@dataclass(frozen=True)
class Coverage:
    """What levels keep: of a channel, the share of texels that have a threshold or more."""

    channel: int
    threshold: float


@dataclass(frozen=True, eq=False)
class Chain:
    """A plane with its levels as textures hold them, down to 1 x 1.

    A level is the mean of the areas of the one before (see `mips`), unless they are `given`: those below the plane, in
    order, each of half the size rounded down and of the plane's channels. Raises ValueError for others. `keeps` says
    what coverage the given ones keep (see `coverage`).
    """

    plane: Plane
    given: tuple[Plane, ...] = ()
    keeps: Coverage | None = None

    def __post_init__(self) -> None:
        if self.given and len(self.given) != self.count - 1:
            raise ValueError(f"{len(self.given)} levels are given of {self.count - 1}")
        for number, level in enumerate(self.given, 1):
            wanted = max(1, self.plane.height >> number), max(1, self.plane.width >> number), self.plane.channels
            if (level.height, level.width, level.channels) != wanted or stored_kind(level) != self.kind:
                raise ValueError(f"level {number} is not {wanted} of {self.kind}")

    @property
    def count(self) -> int:
        """Levels, the plane itself among them."""
        return level_count(self.plane.height, self.plane.width)

    @property
    def kind(self) -> "np.dtype[Any]":
        """In which numbers textures hold it."""
        return stored_kind(self.plane)

    @property
    def own(self) -> int:
        """Levels below the plane that its tiles own; those after them are made of the last of these."""
        return own_levels(self.plane.height, self.plane.width)

    @property
    def spots(self) -> list[Spot]:
        """The places of the plane's tiles."""
        return list(spots(self.plane.height, self.plane.width))

    @cached_property
    def content_id(self) -> str:
        """Names the plane and its levels."""
        if not self.given:
            return self.plane.content_id
        given = "|".join(level.content_id for level in self.given).encode()
        return f"{self.plane.content_id} over {hashlib.blake2b(given, digest_size=16).hexdigest()}"

    def tile_name(self, spot: Spot) -> str:
        """Names what a texture holds of all levels at a tile's place."""
        if self.given:
            return f"{self.content_id} {spot.down} {spot.across}"
        tile = _tile_of(self.plane, spot)
        if tile is not None:
            return f"{tile.name} {self.plane.encoding == Encoding.SRGB}"
        return f"{self.plane.content_id} {spot.down} {spot.across}"

    def parts(self, spot: Spot) -> list[Samples]:
        """A tile's part of each level that it owns, as textures store them; made now if they are not kept."""
        return _PARTS.get(self.tile_name(spot), lambda: self._parts(spot))

    def _parts(self, spot: Spot) -> list[Samples]:
        if self.given:
            levels = (self.plane, *self.given)[: self.own + 1]
            return [_part(level, spot, number) for number, level in enumerate(levels)]
        tile = _tile_of(self.plane, spot)
        if tile is not None:
            return _parts_of_tile(tile, self.plane.encoding)
        return parts_of(self.plane.samples[spot.top : spot.bottom, spot.left : spot.right], self.plane.encoding)

    def _small_parts(self, spot: Spot) -> list[Samples]:
        """The same from level SMALL on, which are kept however large the plane is."""
        name = self.tile_name(spot)
        return _SMALL_PARTS.get(name, lambda: (_PARTS.find(name) or self._parts(spot))[SMALL:])

    def prepare(self, cancel: CancelToken | None = None) -> None:
        """Make the parts of all tiles, on a worker, so that who asks for them finds them. Raises Cancelled.

        Of a plane that is too large for that just the small ones are made, which minified views read.
        """
        plane = self.plane
        fits = plane.height * plane.width * plane.channels * 4 < _PARTS.allowed
        if not fits and self.own < SMALL:
            return
        parts = self.parts if fits else self._small_parts
        each_tile(plane.height, plane.width, lambda spot: parts(spot) and None, cancel)

    def after_own(self, last_own: Samples) -> list[Samples]:
        """The levels after those that tiles own, as textures store them, of the last of these."""
        return [_stored(level) for level in self.given[self.own :]] if self.given else tail(last_own)

    def stored(self, numbers: Iterable[int]) -> dict[int, Samples]:
        """Levels as a texture stores them, (h, w, C) by number, put together of parts of tiles, so that little memory
        is taken; every tile is asked for once."""
        plane, wanted, own = self.plane, set(numbers), self.own
        beyond = {number for number in wanted if number > own}
        found: dict[int, Samples] = {}
        small = min(own, *wanted) >= SMALL
        for spot in self.spots:
            parts = self._small_parts(spot) if small else self.parts(spot)
            for number, part in enumerate(parts, SMALL if small else 0):
                if number not in wanted and not (number == own and beyond):
                    continue
                if number not in found:
                    shape = plane.height >> number, plane.width >> number, plane.channels
                    found[number] = np.empty(shape, part.dtype)
                top, left = spot.top >> number, spot.left >> number
                found[number][top : top + part.shape[0], left : left + part.shape[1]] = part
        if beyond:
            found |= dict(enumerate(self.after_own(found[own]), own + 1))
        return {number: found[number] for number in wanted}

    def made_small(self, side: int) -> Floats:
        """The plane as a square of so many texels a side, (side, side, C), of the level that is next larger."""
        level = self.level((min(self.plane.width, self.plane.height) // side).bit_length() - 1)
        return sample(level, texel_centres(side, side), SMOOTH)

    def level(self, number: int) -> Plane:
        """A level as a plane, the first being the plane itself; numbers are held in the chain."""
        number = min(max(number, 0), self.count - 1)
        if number == 0:
            return self.plane
        if self.given:
            return self.given[number - 1]
        return _LEVELS.get((self.content_id, self.plane.encoding, number), lambda: self._levels([number])[0])

    def _levels(self, numbers: Sequence[int]) -> list[Plane]:
        """Levels below the plane; each is named by what it is made of, so that nothing is hashed."""
        encoding = Encoding.LINEAR if self.plane.encoding == Encoding.SRGB else self.plane.encoding
        levels = self.stored(numbers)
        return [Plane(levels[number], encoding, f"{self.content_id} level {number}") for number in numbers]

    def from_level(self, number: int) -> "Chain":
        """The chain without the levels before one, of the same texels as this has there."""
        if number == 0:
            return self
        first, *rest = self.given[number - 1 :] or self._levels(range(number, self.count))
        return Chain(first, tuple(rest))


def sample_level(chain: Chain, uv: Floats, number: int, sampler: Sampler = SMOOTH) -> Floats:
    """One level of a chain sampled at uv (..., 2), giving (..., C), as `sample` does."""
    return sample(chain.level(number), uv, sampler)


def sample_minified(chain: Chain, uv: Floats, lod: float, sampler: Sampler = SMOOTH) -> Floats:
    """A chain sampled at uv (..., 2) from the mips that fit, giving (..., C): the two beside `lod` mixed, or with a
    nearest filter the nearer one (OpenGL 4.6, section 8.14.3).
    """
    if lod <= 0 or not sampler.mips:
        return sample(chain.plane, uv, sampler)
    if sampler.filter == Filter.NEAREST:
        return sample_level(chain, uv, int(np.floor(lod + 0.5)), sampler)
    low, share = int(lod), np.float32(lod - int(lod))
    upper, lower = (sample_level(chain, uv, number, sampler) for number in (low, low + 1))
    return np.asarray(upper * (1 - share) + lower * share)


def sample_covered(chain: Chain, uv: Floats, covered: Covered, sampler: Sampler = SMOOTH) -> Floats:
    """A chain sampled at uv (..., 2) as pixels cover it, giving (..., C): the mean of all probes."""
    parts = [sample_minified(chain, uv + float32(shift), covered.level, sampler) for shift in covered.shifts]
    return parts[0] if len(parts) == 1 else float32(np.mean(parts, axis=0))


def stored_kind(plane: Plane) -> "np.dtype[Any]":
    """In which numbers textures hold a plane (see `gpu_samples`)."""
    return np.dtype(np.uint16) if plane.encoding == Encoding.SRGB else kind_of(plane)


def _stored(level: Plane) -> Samples:
    return np.ascontiguousarray(gpu_samples(level.samples, level.encoding))


def _part(level: Plane, spot: Spot, number: int) -> Samples:
    """What lies below a tile in a level that tiles own, as textures store it."""
    top, left, bottom, right = (side >> number for side in (spot.top, spot.left, spot.bottom, spot.right))
    samples = level.rows(top, bottom).samples[:, left:right]
    return np.ascontiguousarray(gpu_samples(samples, level.encoding))


def _tile_of(plane: Plane, spot: Spot) -> Tile | None:
    return plane.grid.at(spot.down, spot.across) if isinstance(plane, TiledPlane) else None


def _parts_of_tile(tile: Tile, encoding: Encoding) -> list[Samples]:
    if not tile.is_constant:
        return parts_of(tile.samples, encoding)
    whole = gpu_samples(tile.samples[:1, :1], encoding)
    found, (height, width) = [], tile.samples.shape[:2]
    for level in range(own_levels(height, width) + 1):
        shape = (height >> level, width >> level, whole.shape[2])
        found.append(np.ascontiguousarray(np.broadcast_to(whole, shape)))
    return found


def _bytes_of_parts(parts: list[Samples]) -> int:
    return sum(part.nbytes for part in parts)


_PARTS: Kept[list[Samples]] = Kept("Tiles made ready for textures", 0.08, _bytes_of_parts)
"""Shared by the workers that prepare and the thread that uploads."""
SMALL = 2
"""From this level on parts of tiles take a twelfth of their plane."""
_SMALL_PARTS: Kept[list[Samples]] = Kept("Small mips of tiles", 0.04, _bytes_of_parts)
_LEVELS: Kept[Plane] = Kept("Mips of whole planes", 0.05, lambda level: level.samples.nbytes)
