"""JPEG: 8 bits, read only, as it changes texels."""

from even_palette.core.raster.formats._declare import ImageFormat
from even_palette.core.raster.formats._library import read

IMAGE_FORMAT = ImageFormat((".jpg", ".jpeg"), 5, read, lossy=True)
