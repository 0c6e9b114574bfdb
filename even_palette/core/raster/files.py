"""Planes from files and to files, in the formats of `formats`.

Input is hostile: files pass the gate, sizes are checked against `Limits` before a sample is read, and every failure
is a UserError. What was written is looked at again before it takes the place of anything.
"""

from pathlib import Path

import numpy as np

from even_palette.core.arrays import Samples
from even_palette.core.disk.gate import FileState, reason, sha256_of
from even_palette.core.disk.whole import replacing
from even_palette.core.errors import UserError
from even_palette.core.raster.formats import IMAGE_FORMATS, READABLE, TEXTURES, Limits, format_to_write
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.texture import Texture


def read_plane(path: Path, encoding: Encoding, limits: Limits | None = None) -> Plane:
    """Read the first image of a file as a plane of the given encoding.

    8- and 16-bit integers keep their exact levels, everything else becomes float32; alpha is never multiplied in. What
    was left out of the file stands in the plane's notes. The plane is known by the SHA-256 of what was read. Raises
    UserError, naming the file, for what cannot be read or exceeds the limits.
    """
    limits = limits or Limits()
    kind = IMAGE_FORMATS.get(path.suffix.lower())
    if kind is None:
        raise UserError(f"{path.name}: this kind of file is not read; use {', '.join(READABLE)}.")
    before = FileState.of(path)
    digest = sha256_of(path, limits.file_bytes)
    found = kind.read(path, limits)
    samples = found.samples
    if FileState.of(path) != before:
        raise UserError(f"{path.name}: was written to while it was read; try again.")
    told = (f"{path.name} has levels of its own; they are used where Proof says so.",) if found.levels else ()
    levels = tuple(map(_finite, found.levels))
    return Plane(_finite(samples), encoding, digest, (*found.notes, *told), found.space, levels)


def _finite(samples: Samples) -> Samples:
    if samples.dtype == np.float32 and not np.isfinite(samples).all():
        return np.nan_to_num(samples, nan=0.0, posinf=65504.0, neginf=-65504.0)
    return samples


def write_plane(path: Path, plane: Plane, compression: int = 4) -> None:
    """Write a plane in its own bit depth; the suffix chooses the format. `compression` 0 to 9 is that of PNG.

    The file appears whole or not at all: it is written beside its name, synced, looked at, and then renamed.
    Raises UserError, naming the file, if it cannot be written.
    """
    kind = format_to_write(path.name)
    assert kind.write is not None
    try:
        with replacing(path, lambda written: kind.check(written, plane)) as temporary:
            kind.write(temporary, plane, compression)
    except OSError as error:
        raise UserError(f"{path}: cannot be written ({reason(error)}).") from error


def write_texture(path: Path, texture: Texture) -> None:
    """Write a texture in the format that the suffix chooses.

    Raises UserError for a suffix that is none, for what the format does not hold, and where it cannot be written.
    """
    kind = IMAGE_FORMATS.get(path.suffix.lower())
    if kind is None or kind.write_texture is None:
        raise UserError(f"{path.name}: textures are written as {', '.join(TEXTURES)}.")
    if told := kind.holds(texture):
        raise UserError(f"{path.name}: {told}")
    try:
        with replacing(path) as unfinished:
            kind.write_texture(unfinished, texture)
    except OSError as error:
        raise UserError(f"{path}: cannot be written ({reason(error)}).") from error


__all__ = ["Limits", "read_plane", "write_plane", "write_texture"]
