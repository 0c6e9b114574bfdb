"""KTX 2.0 (Khronos): textures with all levels, texels as they are or in blocks, perhaps packed by Zstandard or zlib.

They are written with a basic data format descriptor (Khronos Data Format Specification 1.3), and never packed.
"""

import math
import struct
import zlib
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

import numpy as np

from even_palette.core.arrays import Samples
from even_palette.core.disk.gate import check_memory, file_size, reason
from even_palette.core.errors import UserError
from even_palette.core.raster.blocks import BLOCK_BYTES, CHANNELS, Block, block_bytes, decode_blocks
from even_palette.core.raster.formats._declare import ImageFormat, Limits, ReadImage
from even_palette.core.raster.texture import Texture

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


ONE_BIT_ALPHA = {133: Block.BC1, 134: Block.BC1}
THREE = {23: "u1", 29: "u1", 84: "u2", 90: "f2", 106: "f4"}
BACKWARDS = {30: 3, 36: 3, 44: 4, 50: 4}
"""VkFormats that are read and never written: BC1 with alpha, texels of three channels, and those of blue first."""
HEAD = 80
PACKED, BASIS, ZSTANDARD, ZLIB = (0, 1, 2, 3), 1, 2, 3
"""Schemes of supercompression (KTX 2.0, section 3.9)."""
MOST_KEYS = 1 << 16


@dataclass(frozen=True)
class _Stored:
    """How the texels of a level are stored: in blocks, or as numbers (NumPy's name) of so many channels."""

    block: Block | None
    numbers: str
    channels: int
    backwards: bool = False

    @property
    def decoded_bytes(self) -> int:
        """Bytes of a texel in memory; floats have four each."""
        return self.channels * (4 if self.numbers[0] == "f" else int(self.numbers[1]))

    def size(self, width: int, height: int) -> int:
        """Bytes of a level."""
        texel = int(self.numbers[1]) * self.channels
        return block_bytes(self.block, width, height) if self.block else width * height * texel

    def samples(self, data: bytes, width: int, height: int) -> Samples:
        """The texels of a level, (H, W, C) as uint8, uint16 or float32."""
        if self.block:
            return decode_blocks(data, self.block, width, height, self.channels)
        found = np.frombuffer(data, f"<{self.numbers}").reshape(height, width, self.channels)
        if self.backwards:
            found = found[..., [2, 1, 0, *range(3, self.channels)]]
        return np.ascontiguousarray(found, np.float32 if self.numbers[0] == "f" else found.dtype.newbyteorder("="))


def _kinds_read() -> dict[int, _Stored]:
    found = {number: _Stored(block, "u1", 4) for number, block in ONE_BIT_ALPHA.items()}
    for block, kind in BLOCKS.items():
        found |= {number: _Stored(block, "u1", CHANNELS[block]) for number in kind.numbers}
    for (channels, bits), numbers in PLAIN.items():
        found |= {number: _Stored(None, f"u{bits // 8}", channels) for number in numbers}
    found |= {number: _Stored(None, f"f{bits // 8}", channels) for (channels, bits), number in FLOATS.items()}
    found |= {number: _Stored(None, numbers, 3) for number, numbers in THREE.items()}
    return found | {number: _Stored(None, "u1", channels, True) for number, channels in BACKWARDS.items()}


def read(path: Path, limits: Limits) -> ReadImage:
    """All levels of the first layer. Raises UserError, naming the file."""
    size = file_size(path, limits.file_bytes)
    try:
        with path.open("rb") as file:
            return _read(path.name, file, size, limits)
    except OSError as error:
        raise UserError(f"{path.name}: cannot be read ({reason(error)}).") from error


def _read(name: str, file: BinaryIO, size: int, limits: Limits) -> ReadImage:
    head = _part(name, file, size, 0, HEAD)
    number, _, width, height, depth, layers, faces, count, scheme = struct.unpack_from("<9I", head, 12)
    _, _, keys_at, keys_bytes = struct.unpack_from("<4I", head, 48)
    if head[:12] != IDENTIFIER:
        raise UserError(f"{name}: is no KTX2 file.")
    if depth or faces != 1 or not height:
        raise UserError(f"{name}: holds faces of a cube, slices of a volume, or a line; a map is one picture.")
    if not (0 < width <= limits.side and height <= limits.side):
        raise UserError(f"{name}: {width} x {height} texels; the limit is {limits.side} a side.")
    stored = _kinds_read().get(number)
    if scheme == BASIS or number == 0:
        raise UserError(f"{name}: is packed as Basis Universal, which is not read; save it in blocks or as texels.")
    if stored is None or scheme not in PACKED:
        raise UserError(f"{name}: its texels (VkFormat {number}, packed by scheme {scheme}) are not read.")
    sizes = [(max(1, width >> n), max(1, height >> n)) for n in range(max(width, height).bit_length())]
    if count > len(sizes):
        raise UserError(f"{name}: has {count} levels, more than its size allows.")
    needed = sum(stored.decoded_bytes * wide * high for wide, high in sizes)
    if needed > limits.bytes:
        raise UserError(f"{name}: needs {needed} bytes in memory; the limit is {limits.bytes}.")
    check_memory(name, 2 * needed, f"decoding {width} x {height} texels")
    table = _part(name, file, size, HEAD, 24 * max(1, count))
    levels = list[Samples]()
    for at, (wide, high) in enumerate(sizes[: max(1, count)]):
        place, length, _ = struct.unpack_from("<3Q", table, 24 * at)
        wanted = stored.size(wide, high)
        data = _part(name, file, size, place, length if scheme else min(length, wanted))
        data = _unpacked(name, data, scheme, wanted)
        levels.append(stored.samples(data, wide, high))
    notes = [f"{name} holds {layers} layers; the first is read."] if layers > 1 else []
    turned, told = _turned(levels, _part(name, file, size, keys_at, min(keys_bytes, MOST_KEYS)))
    notes += [f"{name} {told}"] if told else []
    return ReadImage(turned[0], tuple(notes), levels=tuple(turned[1:]))


def _part(name: str, file: BinaryIO, size: int, place: int, length: int) -> bytes:
    """Some bytes of a file. Raises UserError for what lies beyond its end, and OSError."""
    if place + length > size:
        raise UserError(f"{name}: the file is damaged; it ends too early.")
    file.seek(place)
    return file.read(length)


def _unpacked(name: str, data: bytes, scheme: int, wanted: int) -> bytes:
    """The first bytes of a level, as many as are wanted. Raises UserError where there are fewer."""
    if scheme:
        import zstandard

        try:
            if scheme == ZLIB:
                data = zlib.decompressobj().decompress(data, wanted)
            else:
                with zstandard.ZstdDecompressor().stream_reader(data) as reader:
                    data = reader.read(wanted)
        except (zlib.error, zstandard.ZstdError) as error:
            raise UserError(f"{name}: the file is damaged; a level cannot be unpacked.") from error
    if len(data) < wanted:
        raise UserError(f"{name}: the file is damaged; a level is too short.")
    return data[:wanted]


def _turned(levels: list[Samples], keys: bytes) -> tuple[list[Samples], str]:
    """Levels with the first row at the top, as a file says that they lie (KTX 2.0, section 5.2), and what was done."""
    found, at = b"", 0
    while at + 4 <= len(keys):
        length = int.from_bytes(keys[at : at + 4], "little")
        key, _, value = keys[at + 4 : at + 4 + length].partition(b"\0")
        found = value.rstrip(b"\0") if key == b"KTXorientation" else found
        at += 4 + length + -length % 4
    if found[:2] in (b"", b"rd"):
        return levels, ""
    across, down = (-1 if letter else 1 for letter in (found[:1] == b"l", found[1:2] == b"u"))
    return [np.ascontiguousarray(level[::down, ::across]) for level in levels], "is turned as it says itself."


def holds(texture: Texture) -> str:
    """All block formats, and texels of PLAIN and FLOATS."""
    if texture.format is not None or (texture.channels, texture.bits) in (FLOATS if texture.is_float else PLAIN):
        return ""
    return f"KTX2 is not written with {texture.channels} channels of {texture.bits} bits."


def write_texture(path: Path, texture: Texture) -> None:
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


IMAGE_FORMAT = ImageFormat((".ktx2",), 8, read, lossy=True, holds=holds, write_texture=write_texture)
