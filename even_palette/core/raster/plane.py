"""A plane: one image in memory, H x W x C samples with a stated encoding."""

import hashlib
from collections.abc import Callable
from dataclasses import dataclass, replace
from enum import StrEnum
from functools import cache, cached_property

import numpy as np

from even_palette.core.arrays import Floats, Levels, Samples, float32
from even_palette.core.colour.srgb import srgb_to_linear


class Encoding(StrEnum):
    """What the samples of a plane mean."""

    SRGB = "srgb"
    LINEAR = "linear"
    DATA = "data"


def stored_values(samples: Samples) -> Floats:
    """Integer levels as v/255 or v/65535, floats as they are; float32 of the same shape."""
    if samples.dtype == np.uint8:
        return float32(samples) / np.float32(255)
    if samples.dtype == np.uint16:
        return float32(samples) / np.float32(65535)
    return float32(samples)


@dataclass(frozen=True, eq=False)
class Plane:
    """Samples of shape (H, W, C), C 1..4, of type uint8, uint16 or float32, never written to.

    Row 0 is the top of the picture. `content_id` names the samples and their encoding: equal ids mean equal planes.
    `notes` tell what a file held besides, `space` in which colour space it says that its colours are, "" for sRGB.
    `levels` are smaller ones, (h, w, C), that it has of its own; they are used only where somebody asks for them.
    """

    samples: Samples
    encoding: Encoding
    known_id: str = ""
    notes: tuple[str, ...] = ()
    space: str = ""
    levels: tuple[Samples, ...] = ()

    def __post_init__(self) -> None:
        for samples in (self.samples, *self.levels):
            samples.setflags(write=False)

    @property
    def height(self) -> int:
        """Rows of texels."""
        return int(self.samples.shape[0])

    @property
    def width(self) -> int:
        """Columns of texels."""
        return int(self.samples.shape[1])

    @property
    def channels(self) -> int:
        """Channels a texel."""
        return int(self.samples.shape[2])

    @cached_property
    def content_id(self) -> str:
        """Names samples, own levels and encoding: what is known of the file, else a SHA-256."""
        if self.known_id:
            return f"{self.known_id}:{self.encoding}"
        digest = hashlib.sha256(f"{self.samples.shape}{self.samples.dtype}{self.encoding}".encode())
        for samples in (self.samples, *self.levels):
            digest.update(np.ascontiguousarray(samples).data)
        return digest.hexdigest()

    def with_encoding(self, encoding: Encoding) -> "Plane":
        """The same samples under another meaning."""
        return replace(self, encoding=encoding)

    def made(self, of: Callable[[Samples], Samples], encoding: Encoding, known_id: str = "") -> "Plane":
        """What a function makes of the samples, and of each of the file's own levels."""
        return Plane(of(self.samples), encoding, known_id, self.notes, "", tuple(of(level) for level in self.levels))

    def values(self) -> Floats:
        """The stored values, 0..1 for integer samples, undecoded; (H, W, C) float32."""
        return stored_values(self.samples)

    def linear(self) -> Floats:
        """Values as a shader samples them: sRGB colour decoded to linear light, alpha and data untouched."""
        return self._decode(self.samples)

    def fetch(self, rows: Samples, columns: Samples) -> Floats:
        """The texels at these positions, (...) each, as a shader samples them; (..., C)."""
        return self._decode(picked(self.samples, rows, columns))

    def _decode(self, samples: Samples) -> Floats:
        if self.encoding != Encoding.SRGB:
            return stored_values(samples)
        colours = 3 if self.channels > 2 else 1
        linear = decode_levels(samples[..., :colours])
        if colours == self.channels:
            return linear
        return np.concatenate([linear, stored_values(samples[..., colours:])], axis=-1)

    def rows(self, first: int, last: int) -> "Plane":
        """The part of the plane from one row up to another; shares the samples."""
        return Plane(self.samples[first:last], self.encoding)

    def levels8(self) -> Samples:
        """The stored values rounded to 8 bits; (H, W, C) uint8."""
        if self.samples.dtype == np.uint8:
            return self.samples
        return to_levels8(self.values())


def picked(samples: Samples, rows: Samples, columns: Samples) -> Samples:
    """Samples (H, W, C) at rows and columns within them, (...) each; (..., C)."""
    if not samples.flags.c_contiguous:
        return np.asarray(samples[rows, columns])
    flat = samples.reshape(-1, samples.shape[2])
    return np.asarray(flat.take(rows * samples.shape[1] + columns, axis=0))


def decode_levels(samples: Samples) -> Floats:
    """sRGB samples of any shape decoded to linear light; integer levels by table, with the formula's values."""
    if samples.dtype == np.float32:
        return srgb_to_linear(samples)
    return _linear_table(samples.dtype.name).take(samples)


@cache
def _linear_table(name: str) -> Floats:
    kind = np.dtype(name)
    return srgb_to_linear(stored_values(np.arange(np.iinfo(kind).max + 1).astype(kind)))


def to_levels8(values: Floats) -> Levels:
    """Values 0..1 rounded to the nearest of 256 levels, clipped; uint8 of the same shape."""
    return np.asarray(np.clip(np.nan_to_num(values), 0, 1) * 255 + 0.5, dtype=np.uint8)


def rgb_of(samples: Samples) -> Samples:
    """The colour channels (..., 3) of samples with 1 to 4 channels; grey is repeated."""
    if samples.shape[-1] < 3:
        return np.repeat(samples[..., :1], 3, axis=-1)
    return samples[..., :3]


def channel_of(values: Floats, channel: int) -> Floats:
    """A channel of values (..., C) as masks and cards read it: alpha that is not there is 1, others are 0."""
    if channel < values.shape[-1]:
        return float32(values[..., channel])
    return np.full(values.shape[:-1], np.float32(channel == 3))


def colour_plane(plane: Plane) -> Plane:
    """The plane of a colour: three channels, or four with alpha; grey is repeated, and nothing is copied for it."""
    if plane.channels > 2:
        return plane

    def widened(samples: Samples) -> Samples:
        wide = np.broadcast_to(samples[..., :1], (*samples.shape[:2], 3))
        return wide if samples.shape[2] == 1 else np.concatenate([wide, samples[..., 1:]], axis=-1)

    return plane.made(widened, plane.encoding, f"{plane.known_id}:rgb" if plane.known_id else "")
