"""DDS with or without the DX10 header (Microsoft, “Programming guide for DDS”): texels as they are, or in blocks.

BC1 to BC7 are decoded as the hardware does; textures are written with the DX10 header, all levels layer by layer.
"""

import struct
from pathlib import Path

from even_palette.core.errors import UserError
from even_palette.core.raster.blocks import Block, block_bytes
from even_palette.core.raster.formats._declare import ImageFormat, Limits, ReadImage
from even_palette.core.raster.formats._library import decode
from even_palette.core.raster.texture import Texture

HEAD_BYTES, CAPS_2 = 128, 112
CUBE, VOLUME = 0x200, 0x200000
"""Flags of caps 2 (Microsoft, “Programming guide for DDS”): six faces, and slices; neither is a sheet."""
PLAIN = {(1, 8): (61, 61), (2, 8): (49, 49), (4, 8): (28, 29), (1, 16): (56, 56), (2, 16): (35, 35), (4, 16): (11, 11)}
FLOATS = {(1, 16): 54, (2, 16): 34, (4, 16): 10, (1, 32): 41, (2, 32): 16, (4, 32): 2}
BLOCKS = {Block.BC1: (71, 72), Block.BC3: (77, 78), Block.BC4: (80, 80), Block.BC5: (83, 83), Block.BC7: (98, 99)}
"""DXGI_FORMAT of texels by channels and bits, of floats, and of blocks: as numbers, and as sRGB if there is such."""
CAPS, HEIGHT, WIDTH, PITCH, PIXEL_FORMAT, MIP_COUNT, LINEAR_SIZE = 0x1, 0x2, 0x4, 0x8, 0x1000, 0x20000, 0x80000
COMPLEX, TEXTURE, MIPMAP = 0x8, 0x1000, 0x400000
FOUR_CC, TEXTURE_2D = 0x4, 3


def read(path: Path, limits: Limits) -> ReadImage:
    """All levels, of an array the first layer. Raises UserError, naming the file."""
    try:
        with path.open("rb") as file:
            head = file.read(HEAD_BYTES)
    except OSError:
        head = b""  # the library tells what is wrong
    if len(head) == HEAD_BYTES and int.from_bytes(head[CAPS_2 : CAPS_2 + 4], "little") & (CUBE | VOLUME):
        raise UserError(f"{path.name}: holds faces of a cube or slices of a volume; a map is one picture.")
    return decode(path, limits, levels=True).image


def holds(texture: Texture) -> str:
    """ETC2 and EAC have no number in DXGI_FORMAT, nor have other texels than those of PLAIN."""
    if texture.format is None:
        there = (texture.channels, texture.bits) in (FLOATS if texture.is_float else PLAIN)
        return "" if there else f"DDS is not written with {texture.channels} channels of {texture.bits} bits."
    return "" if texture.format in BLOCKS else f"DDS holds no {texture.format.value}; use KTX2."


def write_texture(path: Path, texture: Texture) -> None:
    """Write a texture."""
    width, height, count = texture.width, texture.height, texture.level_count
    if texture.format is None:
        kind = texture.channels, texture.bits
        number = FLOATS[kind] if texture.is_float else PLAIN[kind][texture.is_srgb]
        flags, size = PITCH, width * texture.channels * texture.bits // 8
    else:
        number = BLOCKS[texture.format][texture.is_srgb]
        flags, size = LINEAR_SIZE, block_bytes(texture.format, width, height)
    flags |= CAPS | HEIGHT | WIDTH | PIXEL_FORMAT | (MIP_COUNT if count > 1 else 0)
    caps = TEXTURE | (COMPLEX | MIPMAP if count > 1 else 0) | (COMPLEX if texture.is_array else 0)
    head = struct.pack("<7I44x", 124, flags, height, width, size, 0, count)
    pixel = struct.pack("<2I4s20x", 32, FOUR_CC, b"DX10")
    more = struct.pack("<5I", number, TEXTURE_2D, 0, len(texture.layers), 0)
    body = b"".join(level for layer in texture.layers for level in layer)
    path.write_bytes(b"DDS " + head + pixel + struct.pack("<I16x", caps) + more + body)


IMAGE_FORMAT = ImageFormat((".dds",), 7, read, lossy=True, holds=holds, write_texture=write_texture)
