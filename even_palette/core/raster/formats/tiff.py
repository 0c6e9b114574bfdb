"""TIFF (revision 6.0): 8, 16 and 32 bits; of several pages the first is read, palettes by their own colours."""

from dataclasses import replace
from pathlib import Path

import numpy as np

from even_palette.core.raster.formats._declare import ImageFormat, Limits, ReadImage
from even_palette.core.raster.formats._library import check_head, decode, write
from even_palette.core.raster.formats._tiff_palette import true_colours


def read(path: Path, limits: Limits) -> ReadImage:
    """The first page."""
    found = decode(path, limits)
    samples = found.image.samples
    if found.of_palette and samples.dtype == np.uint8:
        samples = true_colours(path, samples, limits.file_bytes)
    notes = (f"{path.name} has several pages; only the first is used.",) if found.has_more else ()
    return replace(found.image, samples=samples, notes=(*found.image.notes, *notes))


IMAGE_FORMAT = ImageFormat((".tif", ".tiff"), 2, read, write, check_head, bits=32)
