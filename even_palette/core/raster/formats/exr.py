"""OpenEXR: half and float, linear light; of several parts the first is read."""

from dataclasses import replace
from pathlib import Path

from even_palette.core.raster.formats._declare import ImageFormat, Limits, ReadImage
from even_palette.core.raster.formats._library import check_head, decode, write


def read(path: Path, limits: Limits) -> ReadImage:
    """The first part."""
    found = decode(path, limits)
    which = f", “{found.name}”," if found.name else ""
    notes = (f"{path.name} has several parts; only the first{which} is used.",) if found.has_more else ()
    return replace(found.image, notes=(*found.image.notes, *notes))


IMAGE_FORMAT = ImageFormat((".exr",), 3, read, write, check_head, bits=32, of_light=True)
