"""The few OpenGL calls that the binding lacks: levels of textures, and of array textures, written in parts; fences."""

import ctypes
from functools import cache
from types import SimpleNamespace
from typing import Any

import numpy as np

from even_palette.core.arrays import Samples
from even_palette.gl.context import driver_function

TEXTURE_LOD_BIAS, SAMPLER_BINDING = 0x8501, 0x8919
GPU_COMMANDS_COMPLETE, FLUSH_COMMANDS, TIMEOUT_EXPIRED = 0x9117, 1, 0x911B
TEXTURE_2D, TEXTURE_2D_ARRAY, UNPACK_ALIGNMENT = 0x0DE1, 0x8C1A, 0x0CF5
READ_FRAMEBUFFER, DRAW_FRAMEBUFFER, DEPTH_BUFFER_BIT, NEAREST = 0x8CA8, 0x8CA9, 0x0100, 0x2600
FORMATS = (0x1903, 0x8227, 0x1907, 0x1908)
TYPES = {"u1": 0x1401, "u2": 0x1403, "f4": 0x1406}
INTERNAL = {
    "u1": (0x8229, 0x822B, 0x8051, 0x8058),
    "u2": (0x822A, 0x822C, 0x8054, 0x805B),
    "f4": (0x822E, 0x8230, 0x8815, 0x8814),
}
"""R, RG, RGB and RGBA of each type (OpenGL 4.6, tables 8.5 and 8.12)."""


INT, UINT, PLACE = ctypes.c_int, ctypes.c_uint, ctypes.c_void_p
FUNCTIONS = {
    "glTexImage2D": (None, UINT, *[INT] * 5, UINT, UINT, PLACE),
    "glTexImage3D": (None, UINT, *[INT] * 6, UINT, UINT, PLACE),
    "glTexSubImage2D": (None, UINT, *[INT] * 5, UINT, UINT, PLACE),
    "glTexSubImage3D": (None, UINT, *[INT] * 7, UINT, UINT, PLACE),
    "glPixelStorei": (None, UINT, INT),
    "glBindFramebuffer": (None, UINT, UINT),
    "glBlitFramebuffer": (None, *[INT] * 8, UINT, UINT),
    "glGetIntegerv": (None, UINT, PLACE),
    "glSamplerParameterf": (None, UINT, UINT, ctypes.c_float),
    "glFenceSync": (PLACE, UINT, UINT),
    "glClientWaitSync": (UINT, PLACE, UINT, ctypes.c_uint64),
    "glDeleteSync": (None, PLACE),
}
"""What each gives and takes."""


@cache
def _library() -> Any:
    return SimpleNamespace(**{name: driver_function(name, *types) for name, types in FUNCTIONS.items()})


def set_bias(bias: float) -> None:
    """What goes to the number of the level that the sampler of the active unit reads (OpenGL 4.6, section 8.14.1)."""
    bound = INT()
    _library().glGetIntegerv(SAMPLER_BINDING, ctypes.byref(bound))
    _library().glSamplerParameterf(bound.value, TEXTURE_LOD_BIAS, bias)


def fence() -> Any:
    """A mark behind all that has been asked for (OpenGL 4.6, section 4.1)."""
    return _library().glFenceSync(GPU_COMMANDS_COMPLETE, 0)


def passed(mark: Any, wait_s: float) -> bool:
    """Whether all before a mark is done; at the most so long is waited for that."""
    return bool(_library().glClientWaitSync(mark, FLUSH_COMMANDS, int(wait_s * 1e9)) != TIMEOUT_EXPIRED)


def remove_fence(mark: Any) -> None:
    """Let go of a mark."""
    _library().glDeleteSync(mark)


def copy_depth(source: Any, target: Any) -> None:
    """Copy the depths of a frame buffer to another of its size; both have depths of one format."""
    library, (width, height) = _library(), source.size
    library.glBindFramebuffer(READ_FRAMEBUFFER, source.glo)
    library.glBindFramebuffer(DRAW_FRAMEBUFFER, target.glo)
    library.glBlitFramebuffer(0, 0, width, height, 0, 0, width, height, DEPTH_BUFFER_BIT, NEAREST)


def kind_of(samples: Samples) -> str:
    """The name of a sample type in the tables above."""
    return str(np.dtype(samples.dtype).str[1:])


def allocate(level: int, width: int, height: int, layers: int, channels: int, kind: str) -> None:
    """Give the bound texture a level; `layers` is 0 for a texture that is no array."""
    form, internal, type_ = FORMATS[channels - 1], INTERNAL[kind][channels - 1], TYPES[kind]
    if layers:
        _library().glTexImage3D(TEXTURE_2D_ARRAY, level, internal, width, height, layers, 0, form, type_, None)
    else:
        _library().glTexImage2D(TEXTURE_2D, level, internal, width, height, 0, form, type_, None)


def write(level: int, left: int, top: int, layer: int, samples: Samples) -> None:
    """Write samples (h, w, C) into a level of the bound texture; `layer` is -1 for one that is no array."""
    height, width, channels = samples.shape
    form, type_ = FORMATS[channels - 1], TYPES[kind_of(samples)]
    library, data = _library(), np.ascontiguousarray(samples)
    library.glPixelStorei(UNPACK_ALIGNMENT, 1)
    if layer >= 0:
        library.glTexSubImage3D(
            TEXTURE_2D_ARRAY, level, left, top, layer, width, height, 1, form, type_, data.ctypes.data
        )
    else:
        library.glTexSubImage2D(TEXTURE_2D, level, left, top, width, height, form, type_, data.ctypes.data)
