"""Planes from files and to files, through OpenImageIO: PNG, TIFF, EXR and TGA, 8, 16 and 32 bits; JPEG is read.

Input is hostile: files pass the gate, sizes are checked against `Limits` before a sample is read, and every failure
is a UserError. What was written is looked at again before it takes the place of anything.
"""

import zlib
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from even_palette.core.arrays import Samples
from even_palette.core.disk.gate import FileState, check_memory, reason, sha256_of
from even_palette.core.disk.whole import replacing
from even_palette.core.errors import UserError, one_line
from even_palette.core.raster.guess import LOSSY
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.tiff_palette import true_colours

WRITABLE = (".png", ".tif", ".tiff", ".exr", ".tga")
READABLE = (*WRITABLE, *LOSSY)
PNG_SIGNATURE = b"\x89PNG\r\n\x1a\n"
CHUNK_READ = 1 << 20


@dataclass(frozen=True)
class Limits:
    """What a file may ask for. The bytes are those of the decoded samples."""

    side: int = 16384
    bytes: int = 2 << 30
    file_bytes: int = 2 << 30


def read_plane(path: Path, encoding: Encoding, limits: Limits | None = None) -> Plane:
    """Read the first image of a file as a plane of the given encoding.

    8- and 16-bit integers keep their exact levels, everything else becomes float32; alpha is never multiplied in. What
    was left out of the file stands in the plane's notes. The plane is known by the SHA-256 of what was read. Raises
    UserError, naming the file, for what cannot be read or exceeds the limits.
    """
    limits = limits or Limits()
    if path.suffix.lower() not in READABLE:
        raise UserError(f"{path.name}: this kind of file is not read; use {', '.join(READABLE)}.")
    before = FileState.of(path)
    digest = sha256_of(path, limits.file_bytes)
    samples, notes = _decode(path, limits)
    if FileState.of(path) != before:
        raise UserError(f"{path.name}: was written to while it was read; try again.")
    if samples.dtype == np.float32 and not np.isfinite(samples).all():
        samples = np.nan_to_num(samples, nan=0.0, posinf=65504.0, neginf=-65504.0)
    return Plane(samples, encoding, digest, notes)


def _decode(path: Path, limits: Limits) -> tuple[Samples, tuple[str, ...]]:
    import OpenImageIO as oiio

    if not str(path).isprintable() and not _is_text(path):
        raise UserError(f"{path.name}: its folder has a name that is no UTF-8; rename it.")
    config = oiio.ImageSpec()
    config.attribute("oiio:UnassociatedAlpha", 1)
    source = oiio.ImageInput.open(str(path), config)
    if source is None:
        raise UserError(f"{path.name}: {_complaint(oiio.geterror) or 'not an image that can be read'}.")
    try:
        spec = source.spec()
        _check_spec(path, spec, limits)
        kind = {"uint8": "uint8", "uint16": "uint16"}.get(str(spec.format), "float")
        channels = min(4, spec.nchannels)
        needed = spec.width * spec.height * channels * {"uint8": 1, "uint16": 2, "float": 4}[kind]
        if needed > limits.bytes:
            raise UserError(f"{path.name}: needs {needed} bytes in memory; the limit is {limits.bytes}.")
        check_memory(path.name, needed, f"decoding {spec.width} x {spec.height} texels")
        samples = source.read_image(0, 0, 0, channels, kind)
        if samples is None:
            raise UserError(f"{path.name}: {_complaint(source.geterror) or 'the file is damaged'}.")
        samples = np.ascontiguousarray(samples).reshape(spec.height, spec.width, channels)
        if spec.get_string_attribute("tiff:ColorSpace") == "palette" and samples.dtype == np.uint8:
            samples = true_colours(path, samples, limits.file_bytes)
        return samples, _left_out(source, path.name)
    finally:
        source.close()


def _is_text(path: Path) -> bool:
    """Whether a name is text; others cannot be handed to the library."""
    try:
        str(path).encode()
    except UnicodeEncodeError:
        return False
    return True


def _check_spec(path: Path, spec: Any, limits: Limits) -> None:
    """Raise UserError for an image that is not read."""
    if spec.deep:
        raise UserError(f"{path.name}: deep images are not read; flatten it first.")
    if spec.depth > 1 or not 1 <= spec.nchannels <= 64:
        raise UserError(f"{path.name}: {spec.nchannels} channels in {spec.depth} layers are not read.")
    if not (0 < spec.width <= limits.side and 0 < spec.height <= limits.side):
        raise UserError(f"{path.name}: {spec.width} x {spec.height} texels; the limit is {limits.side} a side.")
    if {"RY", "BY"} <= {str(name).rpartition(".")[2].upper() for name in spec.channelnames}:
        raise UserError(f"{path.name}: holds luminance and chroma (Y, RY, BY), which are not read; save it as RGB.")


def _left_out(source: Any, name: str) -> tuple[str, ...]:
    """Sentences on what else the file holds."""
    first = one_line(source.spec().get_string_attribute("name"), 40)
    if name.lower().endswith(".exr") and source.seek_subimage(1, 0):
        which = f", “{first}”," if first else ""
        return (f"{name} has several parts; only the first{which} is used.",)
    if name.lower().endswith((".tif", ".tiff")) and source.seek_subimage(1, 0):
        return (f"{name} has several pages; only the first is used.",)
    return ()


def write_plane(path: Path, plane: Plane, compression: int = 4) -> None:
    """Write a plane in its own bit depth; the suffix chooses the format. `compression` 0 to 9 is that of PNG.

    The file appears whole or not at all: it is written beside its name, synced, looked at, and then renamed.
    Raises UserError, naming the file, if it cannot be written.
    """
    import OpenImageIO as oiio

    if path.suffix.lower() not in WRITABLE:
        raise UserError(f"{path.name}: this kind of file is not written; use {', '.join(WRITABLE)}.")
    kind = {"uint8": "uint8", "uint16": "uint16", "float32": "float"}[str(plane.samples.dtype)]
    spec = oiio.ImageSpec(plane.width, plane.height, plane.channels, kind)
    spec.attribute("oiio:UnassociatedAlpha", 1)
    spec.attribute("oiio:ColorSpace", _colour_space(path, plane.encoding))
    spec.attribute("png:compressionLevel", compression)
    try:
        with replacing(path, lambda written: _check_written(written, plane)) as temporary:
            target = oiio.ImageOutput.create(str(temporary))
            if target is None or not target.open(str(temporary), spec):
                raise UserError(f"{path}: cannot be written ({_complaint(oiio.geterror)}).")
            written = target.write_image(np.ascontiguousarray(plane.samples))
            if not (target.close() and written):
                raise UserError(f"{path}: cannot be written ({_complaint(target.geterror)}).")
    except OSError as error:
        raise UserError(f"{path}: cannot be written ({reason(error)}).") from error


def _colour_space(path: Path, encoding: Encoding) -> str:
    """What a file says of its numbers. A PNG of others than sRGB says nothing: browsers convert by what is said."""
    if encoding == Encoding.SRGB:
        return "sRGB"
    return "raw" if encoding == Encoding.DATA or path.suffix.lower() == ".png" else "Linear"


def _check_written(path: Path, plane: Plane) -> None:
    """Raise OSError unless a file that was just written has the head and the length of its plane.

    The library does not tell when a PNG meets a full disk, so its chunks are walked with their checksums.
    """
    import OpenImageIO as oiio

    if path.suffix.lower() == ".png":
        _check_png(path)
    source = oiio.ImageInput.open(str(path))
    if source is None:
        oiio.geterror()
        raise OSError(0, "what was written cannot be read back; the disk may be full")
    try:
        spec = source.spec()
        last = None if path.suffix.lower() == ".png" else source.read_scanline(plane.height - 1, 0, "unknown")
        same = (spec.width, spec.height, spec.nchannels) == (plane.width, plane.height, plane.channels)
        if not same or (last is None and path.suffix.lower() != ".png"):
            source.geterror()
            raise OSError(0, "what was written is not whole; the disk may be full")
    finally:
        source.close()


def _check_png(path: Path) -> None:
    """Raise OSError unless all chunks are there with their checksums, up to IEND (PNG, third edition, section 5)."""
    with path.open("rb") as file:
        whole = file.read(8) == PNG_SIGNATURE
        kind = b""
        while whole and kind != b"IEND":
            head = file.read(8)
            left, kind = int.from_bytes(head[:4], "big"), head[4:]
            code = zlib.crc32(kind)
            while left > 0 and (piece := file.read(min(left, CHUNK_READ))):
                code, left = zlib.crc32(piece, code), left - len(piece)
            whole = len(head) == 8 and left == 0 and file.read(4) == code.to_bytes(4, "big")
        if not whole or file.read(1):
            raise OSError(0, "what was written is not whole; the disk may be full")


def _complaint(get: Callable[[], str]) -> str:
    """What the library says, on one line; damaged files can make it say what is no text."""
    try:
        return " ".join(get().split()).rstrip(".")[:200]
    except UnicodeDecodeError:
        return "the file is damaged"
