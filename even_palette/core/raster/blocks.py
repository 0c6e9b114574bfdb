"""Block compression: textures as the hardware stores them, encoded and decoded again.

Sizes are those of the Khronos Data Format Specification 1.3: 8 bytes per 4 x 4 block in BC1, BC4, ETC2 RGB and EAC R11,
16 in the others.
"""

from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from even_palette.core.arrays import Levels

SIDE = 4


class Block(StrEnum):
    """A block format."""

    BC1 = "BC1"
    BC3 = "BC3"
    BC4 = "BC4"
    BC5 = "BC5"
    BC7 = "BC7"
    ETC2_RGB = "ETC2 RGB"
    ETC2_RGBA = "ETC2 RGBA"
    EAC_R = "EAC R"
    EAC_RG = "EAC RG"


@dataclass(frozen=True)
class _Kind:
    """Bytes of a block, how many channels it holds, and what the libraries call it."""

    bytes: int
    channels: int
    encode: str
    decode: str


_KINDS = {
    Block.BC1: _Kind(8, 3, "bc1", "bc1"),
    Block.BC3: _Kind(16, 4, "bc3", "bc3"),
    Block.BC4: _Kind(8, 1, "bc4", "bc4"),
    Block.BC5: _Kind(16, 2, "bc5", "bc5"),
    Block.BC7: _Kind(16, 4, "bc7", "bc7"),
    Block.ETC2_RGB: _Kind(8, 3, "etc2_rgb", "etc2"),
    Block.ETC2_RGBA: _Kind(16, 4, "etc2_rgba", "etc2a8"),
    Block.EAC_R: _Kind(8, 1, "eac_r", "eacr"),
    Block.EAC_RG: _Kind(16, 2, "eac_rg", "eacrg"),
}
CHANNELS = {block: kind.channels for block, kind in _KINDS.items()}
BLOCK_BYTES = {block: kind.bytes for block, kind in _KINDS.items()}


def block_bytes(block: Block, width: int, height: int) -> int:
    """Bytes of one level of this size."""
    return -(-width // SIDE) * -(-height // SIDE) * _KINDS[block].bytes


def encode_blocks(levels: Levels, block: Block) -> bytes:
    """The blocks of levels (H, W, C) uint8 of any size, row by row; what a block has beyond the edge repeats it."""
    import etcpak

    height, width, channels = levels.shape
    down, across = -height % SIDE, -width % SIDE
    whole = np.pad(levels, ((0, down), (0, across), (0, 0)), mode="edge")
    rgba = np.zeros((*whole.shape[:2], 4), dtype=np.uint8)
    rgba[..., 3] = 255
    rgba[..., :channels] = whole
    encode = getattr(etcpak, f"compress_{_KINDS[block].encode}")
    found = bytes(encode(rgba.tobytes(), whole.shape[1], whole.shape[0]))
    return found[: block_bytes(block, width, height)]  # of EAC R the library gives twice as many


def decode_blocks(blocks: bytes, block: Block, width: int, height: int, channels: int = 0) -> Levels:
    """The texels (height, width, C) uint8 of blocks, with the channels that the format has, or others."""
    import texture2ddecoder

    down, across = -height % SIDE, -width % SIDE
    decode = getattr(texture2ddecoder, f"decode_{_KINDS[block].decode}")
    bgra = np.frombuffer(decode(blocks, width + across, height + down), dtype=np.uint8)
    rgba = bgra.reshape(height + down, width + across, 4)[:height, :width, [2, 1, 0, 3]]
    return np.ascontiguousarray(rgba[..., : channels or CHANNELS[block]])


def through_blocks(levels: Levels, block: Block) -> Levels:
    """Levels (H, W, C) uint8 as they come back from blocks, with as many channels."""
    height, width, channels = levels.shape
    return decode_blocks(encode_blocks(levels, block), block, width, height)[..., :channels]
