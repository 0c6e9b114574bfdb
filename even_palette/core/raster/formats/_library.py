"""Images through OpenImageIO, which most formats are read and written by."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from even_palette.core.arrays import Samples
from even_palette.core.disk.gate import check_memory
from even_palette.core.errors import UserError, one_line
from even_palette.core.raster.formats._declare import Limits, ReadImage
from even_palette.core.raster.formats._spaces import space_of
from even_palette.core.raster.plane import Encoding, Plane

NOT_WHOLE = "what was written is not whole; the disk may be full"


@dataclass(frozen=True)
class Decoded:
    """The first image of a file, its name, and what else a format wants to know."""

    image: ReadImage
    name: str = ""
    of_palette: bool = False
    """Whether the file holds numbers of palette entries, which the library has looked up."""
    has_more: bool = False
    """Whether more images follow in the file."""


def decode(path: Path, limits: Limits, levels: bool = False) -> Decoded:
    """The first image of a file, with the `levels` that it has of its own if they are asked for; alpha is never
    multiplied in. Raises UserError, naming the file.
    """
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
        of_palette = spec.get_string_attribute("tiff:ColorSpace") == "palette"
        name = one_line(spec.get_string_attribute("name"), 40)
        notes = list[str]()
        turn = TURNS.get(spec.get_int_attribute("Orientation", 1))
        if turn is not None and not of_palette:
            samples = np.ascontiguousarray(turn(samples))
            notes.append(f"{path.name} is turned as it says itself (its orientation, as cameras store it).")
        space, told = space_of(
            spec.get_string_attribute("oiio:ColorSpace"), spec.get_string_attribute("ICCProfile:profile_description")
        )
        notes += [f"{path.name} {one_line(told, 160)}"] if told else []
        own = _own_levels(source, samples, kind) if levels else ()
        image = ReadImage(samples, tuple(notes), space, own)
        return Decoded(image, name, of_palette, bool(source.seek_subimage(1, 0)))
    finally:
        source.close()


TURNS: dict[int, Callable[[Samples], Samples]] = {
    2: lambda s: s[:, ::-1], 3: lambda s: s[::-1, ::-1], 4: lambda s: s[::-1], 5: lambda s: s.swapaxes(0, 1),
    6: lambda s: s.swapaxes(0, 1)[:, ::-1], 7: lambda s: s[::-1, ::-1].swapaxes(0, 1),
    8: lambda s: s.swapaxes(0, 1)[::-1],
}  # fmt: skip
"""By the orientation of Exif (2.32, section 4.6.4 A) how stored samples are turned upright."""


def read(path: Path, limits: Limits) -> ReadImage:
    """What a file of a format holds of which nothing is left out."""
    return decode(path, limits).image


def _own_levels(source: Any, samples: Samples, kind: str) -> tuple[Samples, ...]:
    """The levels of a file below its samples, in order, up to one that is not half of the one before or is damaged."""
    found, (height, width, channels) = list[Samples](), samples.shape
    while max(height, width) > 1 and source.seek_subimage(0, len(found) + 1):
        height, width = max(1, height // 2), max(1, width // 2)
        spec = source.spec()
        read = source.read_image(0, len(found) + 1, 0, channels, kind)
        if (spec.height, spec.width) != (height, width) or read is None:
            source.geterror()
            break
        found.append(np.ascontiguousarray(read).reshape(height, width, channels))
    return tuple(found)


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


def encode(path: Path, plane: Plane, space: str = "", more: Mapping[str, int] | None = None) -> None:
    """Write a plane in its own bit depth. `space` is what the file says of its numbers, "" for what they are.

    Raises UserError, naming the file.
    """
    import OpenImageIO as oiio

    kind = {"uint8": "uint8", "uint16": "uint16", "float32": "float"}[str(plane.samples.dtype)]
    spec = oiio.ImageSpec(plane.width, plane.height, plane.channels, kind)
    spec.attribute("oiio:UnassociatedAlpha", 1)
    spec.attribute("oiio:ColorSpace", space or SPACES[plane.encoding])
    for name, value in (more or {}).items():
        spec.attribute(name, value)
    target = oiio.ImageOutput.create(str(path))
    if target is None or not target.open(str(path), spec):
        raise UserError(f"{path}: cannot be written ({_complaint(oiio.geterror)}).")
    written = target.write_image(np.ascontiguousarray(plane.samples))
    if not (target.close() and written):
        raise UserError(f"{path}: cannot be written ({_complaint(target.geterror)}).")


SPACES = {Encoding.SRGB: "sRGB", Encoding.DATA: "raw", Encoding.LINEAR: "Linear"}


def write(path: Path, plane: Plane, compression: int) -> None:
    """Write a plane in a format that says what its numbers are. Raises UserError, naming the file."""
    encode(path, plane)


def check_head(path: Path, plane: Plane, last_row: bool = True) -> None:
    """Raise OSError unless a file has the size of its plane, and a last row that can be read if that is asked."""
    import OpenImageIO as oiio

    source = oiio.ImageInput.open(str(path))
    if source is None:
        oiio.geterror()
        raise OSError(0, "what was written cannot be read back; the disk may be full")
    try:
        spec = source.spec()
        same = (spec.width, spec.height, spec.nchannels) == (plane.width, plane.height, plane.channels)
        if not same or (last_row and source.read_scanline(plane.height - 1, 0, "unknown") is None):
            source.geterror()
            raise OSError(0, NOT_WHOLE)
    finally:
        source.close()


def _complaint(get: Callable[[], str]) -> str:
    """What the library says, on one line; damaged files can make it say what is no text."""
    try:
        return " ".join(get().split()).rstrip(".")[:200]
    except UnicodeDecodeError:
        return "the file is damaged"
