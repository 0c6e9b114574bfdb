"""TGA (Truevision, version 2.0): 8 bits."""

from even_palette.core.raster.formats._declare import ImageFormat
from even_palette.core.raster.formats._library import check_head, read, write

IMAGE_FORMAT = ImageFormat((".tga",), 4, read, write, check_head)
