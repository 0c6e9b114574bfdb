"""Formats of texture files: every module of this package that declares a FORMAT; adding a format is adding a file."""

from pathlib import Path

from even_palette.core.declared import declared
from even_palette.core.disk.gate import reason
from even_palette.core.disk.whole import replacing
from even_palette.core.errors import UserError
from even_palette.core.proof.textures._declare import Texture, TextureFormat

__all__ = ["TEXTURE_FORMATS", "Texture", "TextureFormat", "write_texture"]

TEXTURE_FORMATS: dict[str, TextureFormat] = {
    kind.suffix: kind for kind in sorted(declared(__name__, __path__, "FORMAT"), key=lambda kind: kind.place)
}
"""The formats by suffix, in the order in which they are offered."""


def write_texture(path: Path, texture: Texture) -> None:
    """Write a texture in the format that the suffix chooses.

    Raises UserError for a suffix that is none, for what the format does not hold, and where it cannot be written.
    """
    kind = TEXTURE_FORMATS.get(path.suffix.lower())
    if kind is None:
        raise UserError(f"{path.name}: textures are written as {', '.join(TEXTURE_FORMATS)}.")
    if told := kind.holds(texture):
        raise UserError(f"{path.name}: {told}")
    try:
        with replacing(path) as unfinished:
            kind.write(unfinished, texture)
    except OSError as error:
        raise UserError(f"{path}: cannot be written ({reason(error)}).") from error
