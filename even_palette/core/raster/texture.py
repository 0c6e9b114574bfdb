"""A texture: levels as the hardware stores them, texels or blocks, which texture files hold."""

from dataclasses import dataclass

from even_palette.core.raster.blocks import Block


@dataclass(frozen=True)
class Texture:
    """Levels of one texture, or of the layers of an array, as the hardware stores them.

    `format` is a block format, or None for texels of `channels` (1, 2 or 4) with so many `bits`, numbers or floats;
    `layers` hold for each layer its levels from the largest on, as bytes. Colour that the sampler decodes `is_srgb`.
    """

    width: int
    height: int
    format: Block | None
    channels: int
    bits: int
    is_srgb: bool
    layers: tuple[tuple[bytes, ...], ...]
    is_array: bool = False
    is_float: bool = False

    @property
    def level_count(self) -> int:
        """How many levels there are."""
        return len(self.layers[0])

    def size(self, level: int) -> tuple[int, int]:
        """Width and height of a level."""
        return max(1, self.width >> level), max(1, self.height >> level)
