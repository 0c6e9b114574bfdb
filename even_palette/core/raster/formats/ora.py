"""OpenRaster 0.0.6 (freedesktop.org): a zip file of one PNG a layer, which paint programs open.

What is read is the picture of all layers that every such file has (section “mergedimage.png”).
"""

import html
import tempfile
import zipfile
import zlib
from collections.abc import Mapping
from pathlib import Path

import numpy as np

from even_palette.core.arrays import Samples
from even_palette.core.disk.gate import check_memory, reason
from even_palette.core.errors import UserError
from even_palette.core.raster.formats import png
from even_palette.core.raster.formats._declare import ImageFormat, Limits, ReadImage
from even_palette.core.raster.formats._library import decode
from even_palette.core.raster.plane import Encoding, Plane, rgb_of

KIND = b"image/openraster"
VERSION = "0.0.6"
WHOLE = "mergedimage.png"
SMALL_PX, COMPRESSION = 256, 4


def read(path: Path, limits: Limits) -> ReadImage:
    """The picture of all layers, encoded, alpha as it is. Raises UserError, naming the file."""
    try:
        with zipfile.ZipFile(path) as whole, tempfile.TemporaryDirectory() as folder:
            told = whole.getinfo(WHOLE).file_size
            if told > limits.file_bytes:
                raise UserError(f"{path.name}: holds {told} bytes of picture; the limit is {limits.file_bytes}.")
            check_memory(path.name, told, "unpacking its picture")
            picture = Path(folder) / f"{path.name}.png"
            picture.write_bytes(whole.read(WHOLE))
            return decode(picture, limits).image
    except OSError as error:
        raise UserError(f"{path.name}: cannot be read ({reason(error)}).") from error
    except (zipfile.BadZipFile, zlib.error, KeyError, NotImplementedError, RuntimeError, EOFError, ValueError) as error:
        raise UserError(f"{path.name}: is no whole OpenRaster file, which holds {WHOLE}.") from error


def write_layers(path: Path, layers: Mapping[str, Plane]) -> None:
    """Write planes of one size, (H, W, C) uint8 or uint16, as layers with names, from the lowest up.

    All are seen but those above the lowest, so that the file opens as the paint that it is for. Raises UserError and
    OSError.
    """
    first = next(iter(layers.values()))
    stack, lowest = "", b""
    with zipfile.ZipFile(path, "w", zipfile.ZIP_STORED) as whole, tempfile.TemporaryDirectory() as folder:
        whole.writestr("mimetype", KIND)
        for number, (name, plane) in enumerate(layers.items()):
            place = f"data/layer_{number:03}.png"
            picture = _png(Path(folder), plane.samples)
            lowest = lowest or picture
            whole.writestr(place, picture)
            seen = "visible" if number == 0 else "hidden"
            stack = (
                f'  <layer name="{html.escape(name)}" src="{place}" x="0" y="0" opacity="1.0" visibility="{seen}" '
                f'composite-op="svg:src-over"/>\n{stack}'
            )
        step = max(1, -(-max(first.width, first.height) // SMALL_PX))
        whole.writestr(WHOLE, lowest)
        whole.writestr("Thumbnails/thumbnail.png", _png(Path(folder), first.samples[::step, ::step]))
        head = (
            f'<?xml version="1.0" encoding="UTF-8"?>\n<image version="{VERSION}" w="{first.width}" h="{first.height}">'
        )
        whole.writestr("stack.xml", f"{head}\n <stack>\n{stack} </stack>\n</image>\n")


def _png(folder: Path, samples: Samples) -> bytes:
    """Samples (H, W, C) as a PNG of RGBA: grey is spread; four channels keep their last one as alpha."""
    colour = rgb_of(samples)
    most = np.iinfo(samples.dtype).max
    alpha = samples[..., 3:] if samples.shape[2] == 4 else np.full((*samples.shape[:2], 1), most, samples.dtype)
    file = folder / "layer.png"
    png.write(file, Plane(np.ascontiguousarray(np.concatenate([colour, alpha], axis=2)), Encoding.SRGB), COMPRESSION)
    return file.read_bytes()


IMAGE_FORMAT = ImageFormat((".ora",), 9, read, bits=16, write_layers=write_layers)
