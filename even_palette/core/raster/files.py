"""Planes from files and to files, through OpenImageIO: PNG, TIFF, EXR and TGA, 8, 16 and 32 bits.

Input is hostile: sizes are checked against `Limits` before a sample is read, and every failure is a UserError.
"""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from even_palette.core.arrays import Samples
from even_palette.core.atomic import replacing
from even_palette.core.errors import UserError
from even_palette.core.raster.plane import Encoding, Plane

READABLE = (".png", ".tif", ".tiff", ".exr", ".tga")
WRITABLE = READABLE


@dataclass(frozen=True)
class Limits:
    """What a file may ask for. The bytes are those of the decoded samples."""

    side: int = 16384
    bytes: int = 2 << 30
    file_bytes: int = 2 << 30


def read_plane(path: Path, encoding: Encoding, limits: Limits | None = None, known_id: str = "") -> Plane:
    """Read the first image of a file as a plane of the given encoding.

    8- and 16-bit integers keep their exact levels, everything else becomes float32; alpha is never multiplied in.
    Raises UserError, naming the file, for what cannot be read or exceeds the limits.
    """
    limits = limits or Limits()
    if path.suffix.lower() not in READABLE:
        raise UserError(f"{path.name}: this kind of file is not read; use {', '.join(READABLE)}.")
    try:
        size = path.stat().st_size
    except OSError as error:
        raise UserError(f"{path}: cannot be opened ({error.strerror}).") from error
    if size > limits.file_bytes:
        raise UserError(f"{path.name}: the file has {size} bytes, the limit is {limits.file_bytes}.")
    samples = _decode(path, limits)
    if samples.dtype == np.float32 and not np.isfinite(samples).all():
        samples = np.nan_to_num(samples, nan=0.0, posinf=65504.0, neginf=-65504.0)
    return Plane(samples, encoding, known_id)


def _decode(path: Path, limits: Limits) -> Samples:
    import OpenImageIO as oiio

    config = oiio.ImageSpec()
    config.attribute("oiio:UnassociatedAlpha", 1)
    source = oiio.ImageInput.open(str(path), config)
    if source is None:
        raise UserError(f"{path.name}: {_complaint(oiio.geterror) or 'not an image that can be read'}.")
    try:
        spec = source.spec()
        if spec.deep:
            raise UserError(f"{path.name}: deep images are not read; flatten it first.")
        if spec.depth > 1 or not 1 <= spec.nchannels <= 64:
            raise UserError(f"{path.name}: {spec.nchannels} channels in {spec.depth} layers are not read.")
        if not (0 < spec.width <= limits.side and 0 < spec.height <= limits.side):
            raise UserError(f"{path.name}: {spec.width} x {spec.height} texels; the limit is {limits.side} a side.")
        kind = {"uint8": "uint8", "uint16": "uint16"}.get(str(spec.format), "float")
        channels = min(4, spec.nchannels)
        needed = spec.width * spec.height * channels * {"uint8": 1, "uint16": 2, "float": 4}[kind]
        if needed > limits.bytes:
            raise UserError(f"{path.name}: needs {needed} bytes in memory; the limit is {limits.bytes}.")
        samples = source.read_image(0, 0, 0, channels, kind)
        if samples is None:
            raise UserError(f"{path.name}: {_complaint(source.geterror) or 'the file is damaged'}.")
        return np.ascontiguousarray(samples).reshape(spec.height, spec.width, channels)
    finally:
        source.close()


def write_plane(path: Path, plane: Plane) -> None:
    """Write a plane in its own bit depth; the suffix chooses the format.

    The file appears whole or not at all: it is written beside its name and then renamed.
    Raises UserError, naming the file, if it cannot be written.
    """
    import OpenImageIO as oiio

    if path.suffix.lower() not in WRITABLE:
        raise UserError(f"{path.name}: this kind of file is not written; use {', '.join(WRITABLE)}.")
    kind = {"uint8": "uint8", "uint16": "uint16", "float32": "float"}[str(plane.samples.dtype)]
    spec = oiio.ImageSpec(plane.width, plane.height, plane.channels, kind)
    spec.attribute("oiio:UnassociatedAlpha", 1)
    spec.attribute("oiio:ColorSpace", "sRGB" if plane.encoding == Encoding.SRGB else "Linear")
    spec.attribute("png:compressionLevel", 4)
    try:
        with replacing(path) as temporary:
            target = oiio.ImageOutput.create(str(path))
            if target is None or not target.open(str(temporary), spec):
                raise UserError(f"{path}: cannot be written ({_complaint(oiio.geterror)}).")
            written = target.write_image(np.ascontiguousarray(plane.samples))
            if not (target.close() and written):
                raise UserError(f"{path}: cannot be written ({_complaint(target.geterror)}).")
    except OSError as error:
        raise UserError(f"{path}: cannot be written ({error.strerror}).") from error


def _complaint(get: Callable[[], str]) -> str:
    """What the library says, on one line; damaged files can make it say what is no text."""
    try:
        return " ".join(get().split()).rstrip(".")[:200]
    except UnicodeDecodeError:
        return "the file is damaged"
