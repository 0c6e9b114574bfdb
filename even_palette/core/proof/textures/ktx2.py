"""KTX 2.0 (Khronos) with a basic data format descriptor (Khronos Data Format Specification 1.3)."""

import math
import struct
from dataclasses import dataclass
from pathlib import Path

from even_palette.core.proof.blocks import BLOCK_BYTES, Block
from even_palette.core.proof.textures._declare import Texture, TextureFormat

IDENTIFIER = b"\xabKTX 20\xbb\r\n\x1a\n"
RGBSDA, LINEAR, SRGB, BT709 = 1, 1, 2, 1
ALPHA, LINEAR_ALPHA = 15, 0x10
"""The channel, and the qualifier of a channel that is not encoded where others are."""


@dataclass(frozen=True)
class _Kind:
    """VkFormat as numbers and as sRGB colour, the colour model of the descriptor, and its samples: channel and bits."""

    numbers: tuple[int, int]
    model: int
    samples: tuple[tuple[int, int], ...]


PLAIN = {
    (1, 8): (9, 15), (2, 8): (16, 22), (4, 8): (37, 43), (1, 16): (70, 70), (2, 16): (77, 77), (4, 16): (91, 91),
}  # fmt: skip
FLOATS = {(1, 16): 76, (2, 16): 83, (4, 16): 97, (1, 32): 100, (2, 32): 103, (4, 32): 109}
FLOAT, SIGNED = 0x80, 0x40
MINUS_1, PLUS_1 = 0xBF800000, 0x3F800000
"""Qualifiers of a channel of floats, and the bits of -1 and 1."""
BLOCKS = {
    Block.BC1: _Kind((131, 132), 128, ((0, 64),)),
    Block.BC3: _Kind((137, 138), 130, ((ALPHA, 64), (0, 64))),
    Block.BC4: _Kind((139, 139), 131, ((0, 64),)),
    Block.BC5: _Kind((141, 141), 132, ((0, 64), (1, 64))),
    Block.BC7: _Kind((145, 146), 134, ((0, 128),)),
    Block.ETC2_RGB: _Kind((147, 148), 161, ((2, 64),)),
    Block.ETC2_RGBA: _Kind((151, 152), 161, ((ALPHA, 64), (2, 64))),
    Block.EAC_R: _Kind((153, 153), 161, ((0, 64),)),
    Block.EAC_RG: _Kind((155, 155), 161, ((0, 64), (1, 64))),
}


def holds(texture: Texture) -> str:
    """All block formats, and texels of PLAIN and FLOATS."""
    if texture.format is not None or (texture.channels, texture.bits) in (FLOATS if texture.is_float else PLAIN):
        return ""
    return f"KTX2 is not written with {texture.channels} channels of {texture.bits} bits."


def write(path: Path, texture: Texture) -> None:
    """Write a texture."""
    kind = _kind(texture)
    unit = BLOCK_BYTES[texture.format] if texture.format else texture.channels * texture.bits // 8
    descriptor = _descriptor(texture, kind, unit)
    count, first = texture.level_count, 80 + 24 * texture.level_count
    start = first + len(descriptor)
    align = math.lcm(unit, 4)
    places, body, at = [(0, 0)] * count, bytearray(), start
    for level in reversed(range(count)):
        room = -at % align
        data = b"".join(layer[level] for layer in texture.layers)
        places[level] = at + room, len(data)
        body += bytes(room) + data
        at += room + len(data)
    size = 1 if texture.format else texture.bits // 8
    layers = len(texture.layers) if texture.is_array else 0
    head = struct.pack(
        "<9I", kind.numbers[texture.is_srgb], size, texture.width, texture.height, 0, layers, 1, count, 0
    )
    index = struct.pack("<4I2Q", first, len(descriptor), 0, 0, 0, 0)
    levels = b"".join(struct.pack("<3Q", place, length, length) for place, length in places)
    path.write_bytes(IDENTIFIER + head + index + levels + descriptor + bytes(body))


def _kind(texture: Texture) -> _Kind:
    if texture.format is not None:
        return BLOCKS[texture.format]
    channels = (0, 1, 2, ALPHA)[: texture.channels]
    found = texture.channels, texture.bits
    numbers = (FLOATS[found], FLOATS[found]) if texture.is_float else PLAIN[found]
    return _Kind(numbers, RGBSDA, tuple((each, texture.bits) for each in channels))


def _descriptor(texture: Texture, kind: _Kind, unit: int) -> bytes:
    """The data format descriptor: one basic block."""
    size = 24 + 16 * len(kind.samples)
    side = 3 if texture.format else 0
    is_srgb = texture.is_srgb and kind.numbers[0] != kind.numbers[1]
    head = struct.pack(
        "<I2H4B4B8B", 0, 2, size, kind.model, BT709, SRGB if is_srgb else LINEAR, 0,
        side, side, 0, 0, unit, 0, 0, 0, 0, 0, 0, 0,
    )  # fmt: skip
    samples, bit, low = b"", 0, MINUS_1 if texture.is_float else 0
    most = 0xFFFFFFFF if texture.format else PLUS_1 if texture.is_float else (1 << texture.bits) - 1
    kind_of_number = FLOAT | SIGNED if texture.is_float else 0
    for channel, bits in kind.samples:
        qualified = channel | kind_of_number | (LINEAR_ALPHA if channel == ALPHA and is_srgb else 0)
        samples += struct.pack("<H2B4B2I", bit, bits - 1, qualified, 0, 0, 0, 0, low, most)
        bit += bits
    return struct.pack("<I", size + 4) + head + samples


FORMAT = TextureFormat(".ktx2", 2, holds, write)
