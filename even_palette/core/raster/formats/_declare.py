"""What a format of image files declares, and what a file may ask for."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path

from even_palette.core.arrays import Samples
from even_palette.core.raster.plane import Plane
from even_palette.core.raster.texture import Texture


@dataclass(frozen=True)
class Limits:
    """What a file may ask for. The bytes are those of the decoded samples."""

    side: int = 16384
    bytes: int = 2 << 30
    file_bytes: int = 2 << 30


@dataclass(frozen=True, eq=False)
class ReadImage:
    """What a file holds: samples (H, W, 1 to 4) as uint8, uint16 or float32 with straight alpha, and sentences on what
    was left out or done. `space` is the colour space that its colours say they are in (see `spaces`), "" for sRGB.
    `levels` are smaller ones that the file has of its own, in order.
    """

    samples: Samples
    notes: tuple[str, ...] = ()
    space: str = ""
    levels: tuple[Samples, ...] = ()


@dataclass(frozen=True)
class ImageFormat:
    """A format of image files.

    `read` gives what a file holds; it raises UserError, naming the file. `write` writes a plane in its own bit depth
    with a compression of 0 to 9, where the format has such; it raises UserError and OSError. `check` raises OSError
    unless a file that was just written is whole and of its plane. `bits` is the most that a channel holds; `of_light`
    says that renders are kept in it as floats of linear light; `lossy`, that it changes texels: as ID maps such files
    are unmixed with that allowed for. The first of the `suffixes` is the usual one; formats are offered by `place`.

    Formats of textures have `write_texture`, which raises OSError, and `holds`, which tells what a texture lacks to be
    written, "" for nothing. Layered pictures have `write_layers`, which writes planes of one size, (H, W, C) uint8 or
    uint16, by their names, from the lowest up; it raises UserError and OSError.
    """

    suffixes: tuple[str, ...]
    place: int
    read: Callable[[Path, Limits], ReadImage]
    write: Callable[[Path, Plane, int], None] | None = None
    check: Callable[[Path, Plane], None] = lambda path, plane: None
    bits: int = 8
    of_light: bool = False
    lossy: bool = False
    holds: Callable[[Texture], str] = lambda texture: ""
    write_texture: Callable[[Path, Texture], None] | None = None
    write_layers: Callable[[Path, Mapping[str, Plane]], None] | None = None
