"""PNG (Portable Network Graphics, third edition): 8 and 16 bits. Only sRGB says what its numbers are."""

import zlib
from pathlib import Path

from even_palette.core.raster.formats._declare import ImageFormat
from even_palette.core.raster.formats._library import NOT_WHOLE, check_head, encode, read
from even_palette.core.raster.plane import Encoding, Plane

SIGNATURE = b"\x89PNG\r\n\x1a\n"
PIECE = 1 << 20


def write(path: Path, plane: Plane, compression: int) -> None:
    """Write a plane. One of others than sRGB says nothing of its numbers: browsers convert by what is said."""
    encode(path, plane, "sRGB" if plane.encoding == Encoding.SRGB else "raw", {"png:compressionLevel": compression})


def check(path: Path, plane: Plane) -> None:
    """Raise OSError unless the file is of its plane, with all chunks and their checksums, up to IEND (section 5).

    The library does not tell when a PNG meets a full disk.
    """
    with path.open("rb") as file:
        whole = file.read(8) == SIGNATURE
        kind = b""
        while whole and kind != b"IEND":
            head = file.read(8)
            left, kind = int.from_bytes(head[:4], "big"), head[4:]
            code = zlib.crc32(kind)
            while left > 0 and (piece := file.read(min(left, PIECE))):
                code, left = zlib.crc32(piece, code), left - len(piece)
            whole = len(head) == 8 and left == 0 and file.read(4) == code.to_bytes(4, "big")
        if not whole or file.read(1):
            raise OSError(0, NOT_WHOLE)
    check_head(path, plane, last_row=False)


IMAGE_FORMAT = ImageFormat((".png",), 1, read, write, check, bits=16)
