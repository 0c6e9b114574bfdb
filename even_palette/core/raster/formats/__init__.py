"""The formats of image files: every module of this package that declares an IMAGE_FORMAT."""

from pathlib import Path

from even_palette.core.declared import declared
from even_palette.core.errors import UserError
from even_palette.core.raster.formats._declare import ImageFormat, Limits, ReadImage
from even_palette.core.raster.formats._spaces import in_srgb

IMAGE_FORMATS: dict[str, ImageFormat] = {
    suffix: kind
    for kind in sorted(declared(__name__, __path__, "IMAGE_FORMAT"), key=lambda kind: kind.place)
    for suffix in kind.suffixes
}
"""The formats by suffix, in the order in which they are offered."""
READABLE = tuple(IMAGE_FORMATS)
WRITABLE = tuple(suffix for suffix, kind in IMAGE_FORMATS.items() if kind.write)
OFFERED = tuple(kind.suffixes[0] for kind in dict.fromkeys(IMAGE_FORMATS.values()) if kind.write)
"""The formats that are written, each by its usual suffix."""
OFFERED_16 = tuple(suffix for suffix in OFFERED if IMAGE_FORMATS[suffix].bits >= 16)
"""Those of them that hold 16 bits a channel."""

TEXTURES = tuple(suffix for suffix, kind in IMAGE_FORMATS.items() if kind.write_texture)
"""The formats that hold textures, all levels as the hardware stores them."""

LAYERED = tuple(suffix for suffix, kind in IMAGE_FORMATS.items() if kind.write_layers)
"""The formats that hold many planes of one size."""


def format_to_write(name: str) -> ImageFormat:
    """The format that the suffix of a file's name chooses. Raises UserError where it is none that is written."""
    kind = IMAGE_FORMATS.get(Path(name).suffix.lower())
    if kind is None or kind.write is None:
        raise UserError(f"{Path(name).name}: this kind of file is not written; use {', '.join(WRITABLE)}.")
    return kind


def is_lossy(path: str | Path) -> bool:
    """Whether files of this name's format change texels."""
    kind = IMAGE_FORMATS.get(Path(path).suffix.lower())
    return kind is not None and kind.lossy


__all__ = [
    "IMAGE_FORMATS",
    "LAYERED",
    "OFFERED",
    "OFFERED_16",
    "READABLE",
    "TEXTURES",
    "WRITABLE",
    "ImageFormat",
    "Limits",
    "ReadImage",
    "format_to_write",
    "in_srgb",
    "is_lossy",
]
