"""TIFF (revision 6.0): 8, 16 and 32 bits; of several pages the first is read, palettes by their own colours."""

from pathlib import Path

import numpy as np

from even_palette.core.arrays import Samples
from even_palette.core.raster.formats._declare import ImageFormat, Limits, Notes
from even_palette.core.raster.formats._library import check_head, decode, write
from even_palette.core.raster.formats._tiff_palette import true_colours


def read(path: Path, limits: Limits) -> tuple[Samples, Notes]:
    """The samples of the first page."""
    found = decode(path, limits)
    samples = found.samples
    if found.of_palette and samples.dtype == np.uint8:
        samples = true_colours(path, samples, limits.file_bytes)
    return samples, (f"{path.name} has several pages; only the first is used.",) if found.has_more else ()


IMAGE_FORMAT = ImageFormat((".tif", ".tiff"), 2, read, write, check_head, bits=32)
