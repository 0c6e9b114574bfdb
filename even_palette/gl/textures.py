"""Planes as textures. sRGB colour is decoded before upload, so filters and mips work on linear light.

It is stored as 16-bit UNORM linear light. The decoding samplers of drivers may be off by a level and more in the darks
(0.0012 measured on a software rasterizer); a coat that subtracts channels would show that.
"""

from collections import OrderedDict
from typing import Any

import numpy as np

from even_palette.core.arrays import Floats
from even_palette.core.raster.plane import Encoding, Plane


class Textures:
    """Textures of planes, kept by content within a budget. Lives on the thread of the context."""

    def __init__(self, context: Any, budget_bytes: int = 3 << 30) -> None:
        self._context, self._budget, self._bytes = context, budget_bytes, 0
        self._kept: OrderedDict[str, tuple[Any, int]] = OrderedDict()

    def of(self, plane: Plane) -> Any:
        """The texture of a plane."""
        key = plane.content_id
        if key not in self._kept:
            size = video_bytes(plane)
            self._kept[key] = (upload(self._context, plane), size)
            self._bytes += size
            while self._bytes > self._budget and len(self._kept) > 16:
                _, (old, freed) = self._kept.popitem(last=False)
                old.release()
                self._bytes -= freed
        self._kept.move_to_end(key)
        return self._kept[key][0]


def upload(context: Any, plane: Plane, mips: bool = True) -> Any:
    """A moderngl texture of a plane; row 0 lies at v = 0. Release it when done."""
    kind, samples = _stored(plane)
    texture = context.texture((plane.width, plane.height), plane.channels, samples.data, alignment=1, dtype=kind)
    if mips:
        texture.build_mipmaps()
    return texture


def _stored(plane: Plane) -> tuple[str, np.ndarray[Any, Any]]:
    """moderngl's type name and the samples of that type."""
    if plane.encoding != Encoding.SRGB:
        kinds = {np.dtype(np.uint8): "f1", np.dtype(np.uint16): "nu2", np.dtype(np.float32): "f4"}
        return kinds[plane.samples.dtype], np.ascontiguousarray(plane.samples)
    if plane.samples.dtype == np.uint8 and plane.channels in (1, 3):
        every = Plane(np.arange(256, dtype=np.uint8).reshape(256, 1, 1), Encoding.SRGB)
        return "nu2", _unorm16(every.linear()).ravel()[plane.samples]
    levels = np.empty(plane.samples.shape, dtype=np.uint16)
    for first in range(0, plane.height, 256):
        levels[first : first + 256] = _unorm16(plane.rows(first, first + 256).linear())
    return "nu2", levels


def _unorm16(values: Floats) -> np.ndarray[Any, np.dtype[np.uint16]]:
    return np.asarray(np.clip(values, 0, 1) * np.float32(65535) + np.float32(0.5), dtype=np.uint16)


def video_bytes(plane: Plane) -> int:
    """About what a texture of the plane with mips takes."""
    texel = 8 if plane.encoding == Encoding.SRGB else 4 * plane.samples.dtype.itemsize
    return plane.width * plane.height * texel * 4 // 3
