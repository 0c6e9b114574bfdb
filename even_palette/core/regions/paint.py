"""What was painted into a mask: a value and how far it covers what is below, by tiles that are packed and named.

With p the value painted, already times its cover a, a mask m becomes p + (1 - a) m. Painting a value t over it with an
opacity d gives p + (t - p) d and a + (1 - a) d, which is what painting on the mask itself would give (Porter and Duff
1984, over).
"""

import hashlib
import zlib
from functools import cached_property
from typing import Annotated

import msgspec
import numpy as np
from msgspec import Meta

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.limits import MOST_SIDE
from even_palette.core.raster.tiles import TILE, Spot, spots

LEVEL = 1
WHOLE = 65535
MOST_PACKED = 1 << 20
"""Bytes of a packed tile at the most; zlib makes nothing larger than its 256 KiB by more than a thousandth."""
NAME_DIGITS = 64


class PaintTile:
    """A tile of paint, (h, w, 2) uint16: value times cover, and cover. Named by its samples, and equal by name.

    It keeps its samples until `pack` puts them into a zlib stream (RFC 1950), which takes a moment. A tile whose file
    could not be read has neither: it paints nothing, and its name is kept.
    """

    __slots__ = ("_packed", "_samples", "name")

    def __init__(self, name: str, packed: bytes = b"", samples: Samples | None = None) -> None:
        self.name, self._packed, self._samples = name, packed, samples

    @classmethod
    def of(cls, samples: Samples) -> "PaintTile":
        """The tile of samples (h, w, 2) uint16."""
        assert max(samples.shape[:2]) <= TILE, samples.shape
        kept = np.ascontiguousarray(samples, dtype="<u2")
        kept.setflags(write=False)
        return cls(hashlib.sha256(kept.data).hexdigest(), b"", kept)

    @classmethod
    def read(cls, name: str, packed: bytes) -> "PaintTile":
        """The tile of a file; without samples if they are not those that the name tells."""
        return cls(name, packed if hashlib.sha256(_inflated(packed)).hexdigest() == name else b"")

    @property
    def is_there(self) -> bool:
        """Whether its samples are known."""
        return bool(self._packed) or self._samples is not None

    @property
    def packed(self) -> bytes:
        """The zlib stream; empty where the samples are not known."""
        self.pack()
        return self._packed

    def pack(self) -> None:
        """Keep the stream in place of the samples."""
        samples = self._samples
        if samples is not None and not self._packed:
            self._packed = zlib.compress(samples.tobytes(), LEVEL)
        if self._packed:
            self._samples = None

    @property
    def nbytes(self) -> int:
        """Bytes that it takes now."""
        samples = self._samples
        return len(self._packed) + (samples.nbytes if samples is not None else 0)

    def samples(self, height: int, width: int) -> Samples:
        """The samples (height, width, 2) uint16; zeros where they are not those of a tile of this size."""
        known = self._samples
        if known is None:
            data = _inflated(self._packed)
            known = np.frombuffer(data if len(data) % 2 == 0 else b"", dtype="<u2")
        if known.size != height * width * 2:
            return np.zeros((height, width, 2), dtype=np.uint16)
        return known.reshape(height, width, 2).astype(np.uint16, copy=False)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, PaintTile) and self.name == other.name

    def __hash__(self) -> int:
        return hash(self.name)

    def __repr__(self) -> str:
        return f"PaintTile({self.name!r})"


def _inflated(packed: bytes) -> bytes:
    """What a stream holds, up to a tile's size; empty for one that is damaged."""
    try:
        return zlib.decompressobj().decompress(packed, TILE * TILE * 4 + 1) if packed else b""
    except zlib.error:
        return b""


class Paint(msgspec.Struct, frozen=True, forbid_unknown_fields=True, dict=True):
    """The paint of a mask of width x height texels; `tiles` are those that are painted on, by "down across"."""

    width: Annotated[int, Meta(ge=1, le=MOST_SIDE)]
    height: Annotated[int, Meta(ge=1, le=MOST_SIDE)]
    tiles: dict[str, PaintTile] = {}

    def at(self, spot: Spot) -> PaintTile | None:
        """The tile at a place, if it is painted on."""
        return self.tiles.get(place_name(spot))

    @cached_property
    def content_id(self) -> str:
        """Names the paint by its tiles."""
        told = (self.width, self.height, sorted((place, tile.name) for place, tile in self.tiles.items()))
        return hashlib.sha256(repr(told).encode()).hexdigest()

    def __repr__(self) -> str:
        return f"Paint({self.content_id})"

    def with_tiles(self, tiles: dict[str, PaintTile | None]) -> "Paint":
        """The paint with tiles replaced; None takes one away."""
        merged = {**self.tiles, **tiles}
        return Paint(self.width, self.height, {place: tile for place, tile in merged.items() if tile is not None})

    def pick(self, rows: Samples, columns: Samples) -> Samples:
        """What is where rows (n,) and columns (m,) cross, (n, m, 2) uint16; only tiles that they lie on are read."""
        out = np.zeros((len(rows), len(columns), 2), dtype=np.uint16)
        for down in np.unique(rows // TILE).tolist():
            for across in np.unique(columns // TILE).tolist():
                tile = self.tiles.get(f"{down} {across}")
                if tile is None:
                    continue
                top, left = down * TILE, across * TILE
                texels = tile.samples(min(TILE, self.height - top), min(TILE, self.width - left))
                own_rows, own_columns = np.flatnonzero(rows // TILE == down), np.flatnonzero(columns // TILE == across)
                out[np.ix_(own_rows, own_columns)] = texels[np.ix_(rows[own_rows] - top, columns[own_columns] - left)]
        return out

    def samples(self) -> Samples:
        """All of it, (height, width, 2) uint16."""
        out = np.zeros((self.height, self.width, 2), dtype=np.uint16)
        for spot in spots(self.height, self.width):
            tile = self.at(spot)
            if tile is not None:
                out[spot.top : spot.bottom, spot.left : spot.right] = tile.samples(*spot.shape)
        return out

    @cached_property
    def misplaced(self) -> str:
        """What cannot be about the tiles; "" if nothing."""
        down, across = -(-self.height // TILE), -(-self.width // TILE)
        if len(self.tiles) > down * across:
            return "more tiles than fit its size"
        if not all(_is_place(name, down, across) for name in self.tiles):
            return "tiles beside its sheet"
        return ""


def _is_place(name: str, down: int, across: int) -> bool:
    y, _, x = name.partition(" ")
    if not (y.isdecimal() and x.isdecimal() and len(name) < 16):
        return False
    return int(y) < down and int(x) < across and name == f"{int(y)} {int(x)}"


def place_name(spot: Spot) -> str:
    """What a tile's place is called."""
    return f"{spot.down} {spot.across}"


def is_name(name: object) -> bool:
    """Whether this may name a tile."""
    return isinstance(name, str) and len(name) == NAME_DIGITS and all(c in "0123456789abcdef" for c in name)


def over(mask: Floats, paint: Samples) -> Floats:
    """The mask (h, w) float32 with paint (h, w, 2) uint16 over it."""
    value, cover = (float32(paint[..., channel]) / np.float32(WHOLE) for channel in (0, 1))
    return float32(value + (1 - cover) * mask)


def packed_levels(value: Floats, cover: Floats) -> Samples:
    """Value times cover, and cover, both (h, w) float32 0..1, as the samples (h, w, 2) of a tile."""
    both = np.stack([value, cover], axis=-1)
    return np.asarray(np.clip(both, 0, 1) * np.float32(WHOLE) + np.float32(0.5), dtype=np.uint16)
