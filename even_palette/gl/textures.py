"""Planes as textures: sRGB planes are decoded by the sampler where the format can, so filters work on linear light."""

from typing import Any

import numpy as np

from even_palette.core.raster.plane import Encoding, Plane

SRGB8 = {3: 0x8C41, 4: 0x8C43}
"""GL_SRGB8 and GL_SRGB8_ALPHA8 (OpenGL 4.6, table 8.12)."""


def upload(context: Any, plane: Plane, mips: bool = True) -> Any:
    """A moderngl texture of a plane; row 0 lies at v = 0. Release it when done."""
    size = (plane.width, plane.height)
    samples = np.ascontiguousarray(plane.samples)
    if plane.samples.dtype == np.uint8 and plane.encoding != Encoding.SRGB:
        texture = context.texture(size, plane.channels, samples.data, alignment=1)
    elif plane.samples.dtype == np.uint8 and plane.channels in SRGB8:
        texture = context.texture(
            size, plane.channels, samples.data, alignment=1, internal_format=SRGB8[plane.channels]
        )
    else:
        values = np.ascontiguousarray(plane.linear(), dtype=np.float16)
        texture = context.texture(size, plane.channels, values.data, alignment=1, dtype="f2")
    if mips:
        texture.build_mipmaps()
    return texture


def video_bytes(plane: Plane) -> int:
    """About what a texture of the plane with mips takes."""
    return plane.width * plane.height * 4 * (1 if plane.samples.dtype == np.uint8 else 2) * 4 // 3
