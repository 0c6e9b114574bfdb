"""Block compression: textures as the hardware stores them, encoded and decoded again.

Sizes are those of the Khronos Data Format Specification 1.3: 8 bytes per 4 x 4 block in BC1 and BC4, 16 in the others.
"""

from enum import StrEnum

import etcpak
import numpy as np
import texture2ddecoder

from even_palette.core.arrays import Levels

SIDE = 4


class Block(StrEnum):
    """A block format."""

    BC1 = "BC1"
    BC3 = "BC3"
    BC4 = "BC4"
    BC5 = "BC5"
    BC7 = "BC7"


BLOCK_BYTES = {Block.BC1: 8, Block.BC3: 16, Block.BC4: 8, Block.BC5: 16, Block.BC7: 16}
CHANNELS = {Block.BC1: 3, Block.BC3: 4, Block.BC4: 1, Block.BC5: 2, Block.BC7: 4}


def block_bytes(block: Block, width: int, height: int) -> int:
    """Bytes of one level of this size."""
    return -(-width // SIDE) * -(-height // SIDE) * BLOCK_BYTES[block]


def encode_blocks(levels: Levels, block: Block) -> bytes:
    """The blocks of levels (H, W, C) uint8 of any size, row by row; what a block has beyond the edge repeats it."""
    height, width, channels = levels.shape
    down, across = -height % SIDE, -width % SIDE
    whole = np.pad(levels, ((0, down), (0, across), (0, 0)), mode="edge")
    rgba = np.zeros((*whole.shape[:2], 4), dtype=np.uint8)
    rgba[..., 3] = 255
    rgba[..., :channels] = whole
    encode = getattr(etcpak, f"compress_{block.lower()}")
    return bytes(encode(rgba.tobytes(), whole.shape[1], whole.shape[0]))


def decode_blocks(blocks: bytes, block: Block, width: int, height: int) -> Levels:
    """The texels (height, width, C) uint8 of blocks, with the channels that the format has."""
    down, across = -height % SIDE, -width % SIDE
    decode = getattr(texture2ddecoder, f"decode_{block.lower()}")
    bgra = np.frombuffer(decode(blocks, width + across, height + down), dtype=np.uint8)
    rgba = bgra.reshape(height + down, width + across, 4)[:height, :width, [2, 1, 0, 3]]
    return np.ascontiguousarray(rgba[..., : CHANNELS[block]])


def through_blocks(levels: Levels, block: Block) -> Levels:
    """Levels (H, W, C) uint8 as they come back from blocks, with as many channels."""
    height, width, channels = levels.shape
    return decode_blocks(encode_blocks(levels, block), block, width, height)[..., :channels]
