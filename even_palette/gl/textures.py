"""Planes as textures. sRGB colour is decoded before upload, so filters and mips work on linear light.

It is stored as 16-bit UNORM linear light. The decoding samplers of drivers may be off by a level and more in the darks
(0.0012 measured on a software rasterizer); a coat that subtracts channels would show that.
"""

from collections import OrderedDict
from typing import Any

import numpy as np

from even_palette.core.arrays import Floats
from even_palette.core.graph.slots import Slot
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.sampling import Filter, Sampler, Wrap


class Textures:
    """Textures of planes, kept by content within a budget. Lives on the thread of the context."""

    def __init__(self, context: Any, budget_bytes: int = 3 << 30) -> None:
        self._context, self._budget, self._bytes = context, budget_bytes, 0
        self._kept: OrderedDict[str, tuple[Any, int]] = OrderedDict()

    def of(self, slot: Slot) -> Any:
        """The texture of a slot's planes."""
        key = f"{slot.content_id} {slot.sampler.mips} {slot.is_array}"
        if key not in self._kept:
            size = sum(map(video_bytes, slot.planes))
            self._kept[key] = (upload(self._context, slot), size)
            self._bytes += size
            while self._bytes > self._budget and len(self._kept) > 16:
                _, (old, freed) = self._kept.popitem(last=False)
                old.release()
                self._bytes -= freed
        self._kept.move_to_end(key)
        return self._kept[key][0]


class Samplers:
    """Sampler objects by what they say. Lives on the thread of the context."""

    def __init__(self, context: Any) -> None:
        self._context = context
        self._kept: dict[Sampler, Any] = {}

    def of(self, sampler: Sampler) -> Any:
        """The sampler object. Mirrors are turned over by the expressions themselves, so that they clamp here."""
        if sampler not in self._kept:
            context, sharp = self._context, sampler.filter == Filter.NEAREST
            near = context.NEAREST if sharp else context.LINEAR
            far = context.NEAREST_MIPMAP_NEAREST if sharp else context.LINEAR_MIPMAP_LINEAR
            repeat = sampler.wrap == Wrap.REPEAT
            self._kept[sampler] = context.sampler(
                repeat_x=repeat, repeat_y=repeat, filter=(far if sampler.mips else near, near)
            )
        return self._kept[sampler]

    def release(self) -> None:
        """Free all of them."""
        for kept in self._kept.values():
            kept.release()
        self._kept.clear()


def upload(context: Any, slot: Slot) -> Any:
    """A moderngl texture of a slot, an array of it has layers; row 0 lies at v = 0. Release it when done."""
    first, size = slot.plane, (slot.plane.width, slot.plane.height)
    if slot.is_array:
        kind = _stored(first)[0]
        texture = context.texture_array((*size, len(slot.planes)), first.channels, alignment=1, dtype=kind)
        for number, plane in enumerate(slot.planes):
            texture.write(_stored(plane)[1].data, viewport=(0, 0, number, *size, 1), alignment=1)
    else:
        kind, samples = _stored(first)
        texture = context.texture(size, first.channels, samples.data, alignment=1, dtype=kind)
    if slot.sampler.mips:
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
