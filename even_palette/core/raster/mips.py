"""Mip chains by tiles: each tile has its part of every level, so that a change of one tile changes little else.

A level has floor(n / 2) texels of the one before (OpenGL 4.6, section 8.14.3), each the mean of the area that it covers
there: of two texels where n is even, of parts of three where it is odd. While sides are even a tile of 256 x 256 owns
the texels of the levels that lie below it, eight at the most; smaller levels are made of the last that tiles own.
"""

from collections.abc import Iterable

import numpy as np

from even_palette.core.arrays import Floats, Samples
from even_palette.core.jobs import CancelToken
from even_palette.core.memory_account import ACCOUNT, Account, Kept
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.sampling import SMOOTH, Filter, Sampler, sample
from even_palette.core.raster.tiles import TILE, Spot, Tile, TiledPlane, each_tile, spots

OWN_LEVELS = 8
"""Levels below the first that a tile owns: 256 halves eight times."""


def level_count(height: int, width: int) -> int:
    """Levels of a mip chain down to 1 x 1."""
    return max(height, width).bit_length()


def own_levels(height: int, width: int) -> int:
    """Levels below the first that tiles own: while both sides are even, no texel covers parts of two tiles.

    Smaller ones are made of the last of these as it is stored.
    """
    both = height | width
    return min(OWN_LEVELS, (both & -both).bit_length() - 1)


BAND = 256
"""Rows of a level that are made at once, so that a large plane is never held in float32 as a whole."""


def halved(samples: Samples) -> Floats:
    """The next level of samples (h, w, C), float32: the mean of the area that a texel covers; sides of one stay."""
    count, width, channels = samples.shape
    found = np.empty((max(1, count // 2), max(1, width // 2), channels), dtype=np.float32)
    for first in range(0, len(found), BAND):
        last = min(first + BAND, len(found))
        down = halved_down(samples[2 * first : 2 * last + count % 2].astype(np.float32, copy=False), first, count)
        found[first:last] = np.moveaxis(halved_down(np.moveaxis(down, 1, 0)), 0, 1)
    return found


def halved_down(samples: Samples, first: int = 0, count: int = 0) -> Samples:
    """Samples (h, ...) float32 with half the rows. A side of n = 2 m + 1 gives m rows, each the mean of n / m rows.

    Row j then covers the last 1 - j / m of row 2 j, row 2 j + 1, and the first (j + 1) / m of row 2 j + 2. `samples`
    may be the rows from 2 `first` on of a side of `count`.
    """
    count, rows = count or len(samples), len(samples) // 2
    if count == 1:
        return samples
    if count % 2 == 0:
        return (samples[0 : rows * 2 : 2] + samples[1 : rows * 2 : 2]) * np.float32(0.5)
    half = count // 2
    rows = min(rows, (len(samples) - 1) // 2)
    at = np.arange(first, first + rows, dtype=np.float32).reshape(-1, *(1,) * (samples.ndim - 1))
    upper, lower = (np.float32(half) - at) / np.float32(count), (at + 1) / np.float32(count)
    middle = np.float32(half / count)
    return np.asarray(samples[0 : rows * 2 : 2] * upper + samples[1::2][:rows] * middle + samples[2::2][:rows] * lower)


def gpu_samples(samples: Samples, encoding: Encoding) -> Samples:
    """Samples as a texture stores them: colour as 16-bit UNORM linear light, everything else as it is."""
    if encoding != Encoding.SRGB:
        return samples
    linear = Plane(samples, encoding).linear()
    return np.asarray(np.clip(linear, 0, 1) * np.float32(65535) + np.float32(0.5), dtype=np.uint16)


def parts_of(samples: Samples, encoding: Encoding) -> list[Samples]:
    """A tile's part of each level that it can own, the first one whole."""
    first = gpu_samples(samples, encoding)
    found, level = [np.ascontiguousarray(first)], first
    for _ in range(own_levels(*level.shape[:2])):
        level = halved(level)
        found.append(_stored(level, first.dtype))
    return found


def _stored(level: Samples, dtype: "np.dtype[np.generic]") -> Samples:
    if dtype.kind == "f":
        return np.ascontiguousarray(level, dtype=dtype)
    return np.ascontiguousarray(np.floor(level + np.float32(0.5)), dtype=dtype)


def tail(eighth: Samples) -> list[Samples]:
    """The levels after one (h, w, C), down to 1 x 1."""
    found, level = [], eighth
    while level.shape[0] > 1 or level.shape[1] > 1:
        level = halved(level)
        found.append(_stored(level, eighth.dtype))
    return found


def level_of(plane: Plane, number: int) -> Plane:
    """A mip level of a plane as a texture holds it, the first being the plane itself; numbers are held in the chain."""
    number = min(max(number, 0), level_count(plane.height, plane.width) - 1)
    if number == 0:
        return plane
    return _CHAINS.get((plane.content_id, plane.encoding), lambda: _chain(plane))[number - 1]


_CHAINS: Kept[tuple[Plane, ...]] = Kept(
    "Mips of whole planes", 0.05, lambda levels: sum(level.samples.nbytes for level in levels)
)


def _chain(plane: Plane) -> tuple[Plane, ...]:
    """The levels of a plane below the first, each stored as textures store it."""
    encoding = Encoding.LINEAR if plane.encoding == Encoding.SRGB else plane.encoding
    numbers = range(1, level_count(plane.height, plane.width))
    levels = mip_levels_of(plane, numbers)
    return tuple(Plane(levels[number], encoding, f"{plane.content_id} level {number}") for number in numbers)


def sample_level(plane: Plane, uv: Floats, number: int, sampler: Sampler = SMOOTH) -> Floats:
    """One mip level of a plane sampled at uv (..., 2), giving (..., C), as `sample` does."""
    return sample(level_of(plane, number), uv, sampler)


def sample_minified(plane: Plane, uv: Floats, lod: float, sampler: Sampler = SMOOTH) -> Floats:
    """A plane sampled at uv (..., 2) from the mips that fit, giving (..., C): the two beside `lod` mixed, or with a
    nearest filter the nearer one (OpenGL 4.6, section 8.14.3).
    """
    if lod <= 0 or not sampler.mips:
        return sample(plane, uv, sampler)
    if sampler.filter == Filter.NEAREST:
        return sample_level(plane, uv, int(np.floor(lod + 0.5)), sampler)
    low, share = int(lod), np.float32(lod - int(lod))
    upper, lower = (sample_level(plane, uv, number, sampler) for number in (low, low + 1))
    return np.asarray(upper * (1 - share) + lower * share)


def lod_of(width: int, height: int, pixel: tuple[float, float, float, float]) -> float:
    """The level that fits a plane that lies over the sheet as it is (OpenGL 4.6, section 8.14.1).

    `pixel` is how far uv goes in one pixel to the right (two numbers) and in one down; 0 where nothing is minified.
    """
    across, down = np.hypot(pixel[0] * width, pixel[1] * height), np.hypot(pixel[2] * width, pixel[3] * height)
    longest = float(max(across, down))
    return float(np.log2(longest)) if longest > 1.0001 else 0.0


class Parts:
    """Parts of tiles that are ready for textures, by name, as much as memory allows. May be used from any thread."""

    def __init__(self, account: Account = ACCOUNT) -> None:
        self._kept: Kept[list[Samples]] = Kept("Tiles made ready for textures", 0.08, _bytes_of_parts, account)

    def of(self, plane: Plane, spot: Spot) -> list[Samples]:
        """The parts of one tile of a plane, made now if they are not kept."""

        def make() -> list[Samples]:
            if isinstance(plane, TiledPlane):
                tile = plane.grid.at(spot.down, spot.across)
                assert tile is not None
                return _parts_of_tile(tile, plane.encoding)
            return parts_of(plane.samples[spot.top : spot.bottom, spot.left : spot.right], plane.encoding)

        return self._kept.get(tile_name(plane, spot), make)

    def prepare(self, plane: Plane, cancel: CancelToken | None = None) -> None:
        """Make the parts of all tiles of a plane, on a worker, so that uploading finds them. Raises Cancelled."""
        if plane.height * plane.width * plane.channels * 4 < self._kept.allowed:
            each_tile(plane.height, plane.width, lambda spot: self.of(plane, spot) and None, cancel)


def _bytes_of_parts(parts: list[Samples]) -> int:
    return sum(part.nbytes for part in parts)


def _parts_of_tile(tile: Tile, encoding: Encoding) -> list[Samples]:
    if not tile.is_constant:
        return parts_of(tile.samples, encoding)
    whole = gpu_samples(tile.samples[:1, :1], encoding)
    found, (height, width) = [], tile.samples.shape[:2]
    for level in range(own_levels(height, width) + 1):
        shape = (height >> level, width >> level, whole.shape[2])
        found.append(np.ascontiguousarray(np.broadcast_to(whole, shape)))
    return found


def mip_levels_of(plane: Plane, numbers: Iterable[int]) -> dict[int, Samples]:
    """Levels as a texture stores them, (h, w, C) by number, put together of parts of tiles, so that little memory is
    taken; every tile is asked for once."""
    wanted, own = set(numbers), own_levels(plane.height, plane.width)
    beyond = {number for number in wanted if number > own}
    found: dict[int, Samples] = {}
    for spot in spots_of(plane):
        for number, part in enumerate(PARTS.of(plane, spot)):
            if number not in wanted and not (number == own and beyond):
                continue
            if number not in found:
                found[number] = np.empty((plane.height >> number, plane.width >> number, part.shape[-1]), part.dtype)
            top, left = spot.top >> number, spot.left >> number
            found[number][top : top + part.shape[0], left : left + part.shape[1]] = part
    if beyond:
        found |= dict(enumerate(tail(found[own]), own + 1))
    return {number: found[number] for number in wanted}


def tile_name(plane: Plane, spot: Spot) -> str:
    """Names what a texture holds at a tile's place."""
    if isinstance(plane, TiledPlane):
        tile = plane.grid.at(spot.down, spot.across)
        assert tile is not None
        return f"{tile.name} {plane.encoding == Encoding.SRGB}"
    return f"{plane.content_id} {spot.down} {spot.across}"


def spots_of(plane: Plane) -> list[Spot]:
    """The places of a plane's tiles."""
    return list(spots(plane.height, plane.width))


PARTS = Parts()
"""Shared by the workers that prepare and the thread that uploads."""

__all__ = [
    "OWN_LEVELS",
    "PARTS",
    "TILE",
    "Parts",
    "level_count",
    "mip_levels_of",
    "own_levels",
    "parts_of",
    "spots_of",
    "tail",
    "tile_name",
]
