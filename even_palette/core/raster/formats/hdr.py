"""Radiance HDR: linear light with a shared exponent; read alone, as renders are kept in OpenEXR."""

from pathlib import Path

from even_palette.core.raster.formats._declare import ImageFormat, Limits, ReadImage
from even_palette.core.raster.formats._library import decode


def read(path: Path, limits: Limits) -> ReadImage:
    """Its light, as float32."""
    return decode(path, limits).image


IMAGE_FORMAT = ImageFormat((".hdr",), 6, read, bits=32)
