"""Colours of palette TIFFs, whose 16-bit entries the library that reads images takes a level too low."""

import struct
from pathlib import Path

import numpy as np

from even_palette.core.arrays import Levels, Samples
from even_palette.core.disk.gate import read_bytes
from even_palette.core.errors import UserError

COLOR_MAP_TAG, SHORT = 320, 3
MOST_ENTRIES = 1 << 8


def true_colours(path: Path, samples: Samples, most_bytes: int) -> Samples:
    """Samples (H, W, 3) uint8 as the library decoded them, with the colours that the file's colour map says.

    An entry of the map has 16 bits a channel, of which the upper eight count (TIFF 6.0, section 5). Raises UserError,
    naming the file, where the map cannot be read or the library's colours cannot be told apart.
    """
    entries = _colour_map(read_bytes(path, most_bytes), path.name).astype(np.int64)
    decoded, true = entries * 255 // 65535, entries >> 8
    table = np.full(1 << 24, -1, dtype=np.int32)
    wanted = _codes(true)
    table[_codes(decoded)] = wanted
    if (table[_codes(decoded)] != wanted).any():
        raise UserError(f"{path.name}: its palette cannot be read exactly; save it as RGB.")
    found = table[_codes(samples.astype(np.int64))]
    if (found < 0).any():
        raise UserError(f"{path.name}: its palette cannot be read exactly; save it as RGB.")
    return np.stack([found >> 16 & 255, found >> 8 & 255, found & 255], axis=-1).astype(np.uint8)


def _codes(colours: Samples) -> Samples:
    return np.asarray((colours[..., 0] << 16) | (colours[..., 1] << 8) | colours[..., 2])


def _colour_map(data: bytes, name: str) -> Levels:
    """The entries of the first image's colour map, (n, 3) uint16."""
    order = {b"II*\0": "<", b"MM\0*": ">"}.get(data[:4])
    try:
        if order is None:
            raise ValueError
        (at,) = struct.unpack_from(f"{order}I", data, 4)
        (fields,) = struct.unpack_from(f"{order}H", data, at)
        for number in range(fields):
            tag, kind, count, place = struct.unpack_from(f"{order}HHII", data, at + 2 + 12 * number)
            if tag == COLOR_MAP_TAG and kind == SHORT and 3 <= count <= 3 * MOST_ENTRIES:
                return np.frombuffer(data, f"{order}u2", count // 3 * 3, place).reshape(3, -1).T
    except (struct.error, ValueError):
        pass
    raise UserError(f"{name}: its palette cannot be read; save it as RGB.")
