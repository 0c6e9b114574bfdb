"""Planes as grids of immutable tiles, each named by its bytes: what is equal has one name and is kept once.

A tile of one value is stored as that value. So an edit makes new tiles only where something changed, and everything
behind it (weights, textures, files) finds the others by their names.
"""

import hashlib
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cached_property
from os import cpu_count
from typing import Any, TypeVar
from weakref import WeakValueDictionary, ref

import numpy as np

from even_palette.core.arrays import Floats, Samples
from even_palette.core.jobs import CancelToken
from even_palette.core.raster.plane import Encoding, Plane, picked

TILE = 256
SHARES = 4
"""Work on the tiles of a plane is cut into so many pieces a processor: enough to end together, few to hand out."""
Made = TypeVar("Made")


@dataclass(frozen=True, eq=False)
class Tile:
    """Samples (h, w, C) with h, w up to 256, never written to. Equal names mean equal shapes, types and samples."""

    samples: Samples
    name: str

    @property
    def is_constant(self) -> bool:
        """Whether all texels are one value, which is then stored once."""
        return self.samples.strides[:2] == (0, 0)

    @property
    def nbytes(self) -> int:
        """Bytes that are really kept."""
        return self.samples.shape[2] * self.samples.itemsize if self.is_constant else self.samples.nbytes

    @cached_property
    def sums(self) -> Samples:
        """The samples of each channel added up, (C,) float64."""
        height, width, _ = self.samples.shape
        if self.is_constant:
            return np.asarray(self.samples[0, 0] * np.float64(height * width))
        return np.asarray(self.samples.sum(axis=(0, 1), dtype=np.float64))


_known: WeakValueDictionary[str, Tile] = WeakValueDictionary()


def make_tile(samples: Samples) -> Tile:
    """The one tile of these samples (h, w, C)."""
    head = f"{samples.shape[0]}x{samples.shape[1]}x{samples.shape[2]} {samples.dtype.str}"
    first = samples[0, 0]
    if samples.strides[:2] == (0, 0) or bool((samples == first).all()):
        name = f"{head} all {first.tobytes().hex()}"
        samples = np.broadcast_to(first.copy(), samples.shape)
    else:
        samples = np.ascontiguousarray(samples)
        name = f"{head} {hashlib.blake2b(samples.data, digest_size=16).hexdigest()}"
        samples.setflags(write=False)
    tile = _known.get(name)
    if tile is None:
        tile = Tile(samples, name)
        _known[name] = tile
    return tile


@dataclass(frozen=True)
class Spot:
    """Where a tile lies: its number down and across, and its texels' rows and columns."""

    down: int
    across: int
    top: int
    left: int
    bottom: int
    right: int

    @property
    def shape(self) -> tuple[int, int]:
        """Height and width in texels."""
        return self.bottom - self.top, self.right - self.left


def spots(height: int, width: int) -> Iterator[Spot]:
    """The places of the tiles of a plane, row by row."""
    for down, top in enumerate(range(0, height, TILE)):
        for across, left in enumerate(range(0, width, TILE)):
            yield Spot(down, across, top, left, min(top + TILE, height), min(left + TILE, width))


def each_tile(height: int, width: int, make: Callable[[Spot], Made], cancel: CancelToken | None = None) -> list[Made]:
    """What `make` gives for every tile, on all processors, row by row. Raises Cancelled."""

    def share(first: int) -> list[Made]:
        made = []
        for spot in places[first::shares]:
            if cancel:
                cancel.check()
            made.append(make(spot))
        return made

    places = list(spots(height, width))
    workers = cpu_count() or 1
    shares = min(len(places), workers * SHARES)
    if shares == 1:
        return share(0)
    with ThreadPoolExecutor(workers) as pool:
        made = list(pool.map(share, range(shares)))
    return [made[number % shares][number // shares] for number in range(len(places))]


@dataclass(frozen=True, eq=False)
class Grid:
    """The tiles of a plane of this height and width, row by row."""

    height: int
    width: int
    tiles: tuple[Tile, ...]

    @property
    def across(self) -> int:
        """Tiles beside each other."""
        return -(-self.width // TILE)

    @cached_property
    def name(self) -> str:
        """Names all tiles in their order."""
        digest = hashlib.blake2b(f"{self.height} {self.width}".encode(), digest_size=16)
        for tile in self.tiles:
            digest.update(tile.name.encode())
        return digest.hexdigest()

    def at(self, down: int, across: int) -> Tile | None:
        """A tile by its numbers; None beyond the plane."""
        inside = 0 <= across < self.across and 0 <= down < -(-self.height // TILE)
        return self.tiles[down * self.across + across] if inside else None

    def cut(self, top: int, left: int, bottom: int, right: int) -> Samples:
        """The samples of a rectangle within the plane, (bottom - top, right - left, C)."""
        first = self.tiles[0].samples
        out = np.empty((bottom - top, right - left, first.shape[2]), dtype=first.dtype)
        texels = _as_numbers(out)
        for down in range(top // TILE, -(-bottom // TILE)):
            for across in range(left // TILE, -(-right // TILE)):
                tile = self.tiles[down * self.across + across]
                row, column = down * TILE, across * TILE
                high, low = max(top, row), min(bottom, row + TILE)
                near, far = max(left, column), min(right, column + TILE)
                inside = slice(high - top, low - top), slice(near - left, far - left)
                if tile.is_constant and texels is not None:
                    texels[inside] = tile.samples[0, 0].view(texels.dtype)[0]
                else:
                    out[inside] = tile.samples[high - row : low - row, near - column : far - column]
        return out

    def pick(self, rows: Samples, columns: Samples) -> Samples:
        """The samples where rows (n,) and columns (m,) cross, both in rising order; (n, m, C)."""
        first = self.tiles[0].samples
        out = np.empty((len(rows), len(columns), first.shape[2]), dtype=first.dtype)
        downs = np.searchsorted(rows, range(0, self.height + TILE, TILE)).tolist()
        acrosses = np.searchsorted(columns, range(0, self.width + TILE, TILE)).tolist()
        for number, tile in enumerate(self.tiles):
            down, across = divmod(number, self.across)
            (top, bottom), (left, right) = downs[down : down + 2], acrosses[across : across + 2]
            if tile.is_constant:
                out[top:bottom, left:right] = tile.samples[0, 0]
            else:
                inside = (rows[top:bottom, None] - down * TILE, columns[left:right] - across * TILE)
                out[top:bottom, left:right] = tile.samples[inside]
        return out

    def padded(self, spot: Spot, reach: int) -> Samples:
        """A tile's samples with `reach` texels around it; beyond the plane its edge goes on."""
        top, bottom = max(0, spot.top - reach), min(self.height, spot.bottom + reach)
        left, right = max(0, spot.left - reach), min(self.width, spot.right + reach)
        inner = self.cut(top, left, bottom, right)
        missing = (
            (top - (spot.top - reach), spot.bottom + reach - bottom),
            (left - (spot.left - reach), spot.right + reach - right),
            (0, 0),
        )
        return np.pad(inner, missing, mode="edge") if any(map(any, missing)) else inner

    def names_within(self, spot: Spot, reach: int) -> tuple[str, ...]:
        """Names of all tiles that `reach` texels around a tile touch; "" beyond the plane."""
        rows = range((spot.top - reach) // TILE, (spot.bottom - 1 + reach) // TILE + 1)
        columns = range((spot.left - reach) // TILE, (spot.right - 1 + reach) // TILE + 1)
        found = (self.at(down, across) for down in rows for across in columns)
        return tuple(tile.name if tile else "" for tile in found)

    @property
    def nbytes(self) -> int:
        """Bytes that are really kept; tiles that occur several times count once."""
        return sum(tile.nbytes for tile in {id(tile): tile for tile in self.tiles}.values())


def _as_numbers(samples: Samples) -> Samples | None:
    """Contiguous samples (h, w, C) seen as one whole number a texel, (h, w), which fills far quicker; None of three."""
    wide = samples.shape[2] * samples.itemsize
    return samples.view(f"u{wide}")[..., 0] if wide in (1, 2, 4, 8) else None


def kind_of(plane: Plane) -> "np.dtype[Any]":
    """In which numbers the samples of a plane are kept; nothing is put together for it."""
    return np.dtype((plane.grid.tiles[0].samples if isinstance(plane, TiledPlane) else plane.samples).dtype)


def grid_of(samples: Samples, cancel: CancelToken | None = None) -> Grid:
    """The grid of samples (H, W, C)."""
    height, width = samples.shape[:2]
    tiles = each_tile(height, width, lambda s: make_tile(samples[s.top : s.bottom, s.left : s.right]), cancel)
    return Grid(height, width, tuple(tiles))


class TiledPlane(Plane):
    """A plane that is a grid of tiles. Its samples are put together where somebody asks for all of them."""

    def __init__(self, grid: Grid, encoding: Encoding = Encoding.DATA) -> None:
        for name, value in (
            ("grid", grid), ("encoding", encoding), ("known_id", ""), ("notes", ()), ("space", ""), ("levels", ()),
            ("_whole", None),
        ):  # fmt: skip
            object.__setattr__(self, name, value)

    grid: Grid

    @property
    def samples(self) -> Samples:
        """All samples, (H, W, C); remembered as long as somebody holds them."""
        kept = self._whole() if self._whole is not None else None  # type: ignore[attr-defined]
        if kept is None:
            kept = self.grid.cut(0, 0, self.grid.height, self.grid.width)
            kept.setflags(write=False)
            object.__setattr__(self, "_whole", ref(kept))
        return np.asarray(kept)

    @property
    def height(self) -> int:
        """Rows of texels."""
        return self.grid.height

    @property
    def width(self) -> int:
        """Columns of texels."""
        return self.grid.width

    @property
    def channels(self) -> int:
        """Channels a texel."""
        return int(self.grid.tiles[0].samples.shape[2])

    @property
    def content_id(self) -> str:
        """Names the tiles and the encoding."""
        return f"{self.grid.name}:{self.encoding}"

    def with_encoding(self, encoding: Encoding) -> "TiledPlane":
        """The same samples read in another encoding."""
        return TiledPlane(self.grid, encoding)

    def fetch(self, rows: Samples, columns: Samples) -> Floats:
        """Decoded texels at rows and columns, float32, 0..1; few of them cost only the tiles that they lie on."""
        few = rows.size * 64 < self.height * self.width
        if not few or not rows.size:
            return self._decode(picked(self.samples, rows, columns))
        shape = np.broadcast_shapes(rows.shape, columns.shape)
        rows, columns = (np.broadcast_to(part, shape).ravel() for part in (rows, columns))
        number = rows // TILE * self.grid.across + columns // TILE
        first = self.grid.tiles[0].samples
        out = np.empty((rows.size, self.channels), dtype=first.dtype)
        for at in np.unique(number):
            own = number == at
            out[own] = self.grid.tiles[at].samples[rows[own] % TILE, columns[own] % TILE]
        return self._decode(out.reshape(*shape, self.channels))

    def rows(self, first: int, last: int) -> Plane:
        """The rows from first up to, without, last, as a plane."""
        return Plane(self.grid.cut(first, 0, min(last, self.height), self.width), self.encoding)
