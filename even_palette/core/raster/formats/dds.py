"""DDS: textures, of which the largest level is read; texels as they are, or BC1 to BC7 as the hardware decodes them."""

from pathlib import Path

from even_palette.core.errors import UserError
from even_palette.core.raster.formats._declare import ImageFormat, Limits, ReadImage
from even_palette.core.raster.formats._library import decode

HEAD_BYTES, MIP_COUNT, CAPS_2 = 128, 28, 112
CUBE, VOLUME = 0x200, 0x200000
"""Flags of caps 2 (Microsoft, “Programming guide for DDS”): six faces, and slices; neither is a sheet."""


def read(path: Path, limits: Limits) -> ReadImage:
    """Its largest level, the first layer of an array. Raises UserError, naming the file."""
    try:
        with path.open("rb") as file:
            head = file.read(HEAD_BYTES)
    except OSError:
        head = b""  # the library tells what is wrong
    if len(head) == HEAD_BYTES and int.from_bytes(head[CAPS_2 : CAPS_2 + 4], "little") & (CUBE | VOLUME):
        raise UserError(f"{path.name}: holds faces of a cube or slices of a volume; a map is one picture.")
    found = decode(path, limits)
    if int.from_bytes(head[MIP_COUNT : MIP_COUNT + 4], "little") < 2:
        return found.image
    note = f"{path.name} has levels of its own; the largest is read, and smaller ones are made anew."
    return ReadImage(found.image.samples, (*found.image.notes, note), found.image.space)


IMAGE_FORMAT = ImageFormat((".dds",), 7, read, lossy=True)
