"""The one offscreen OpenGL context of a process."""

import ctypes
from functools import cache
from typing import Any

from even_palette.core.errors import UserError

VERSION = 330
LIBRARIES = {"libgl": "libGL.so.1", "libegl": "libEGL.so.1"}
"""Without the names of the libraries, programs are started to find them; with them, 20 ms less are waited for."""
INSTALL = "apt-get install libegl1 libgl1 libgl1-mesa-dri"


@cache
def offscreen_context() -> Any:
    """An OpenGL 3.3 context through EGL, without a window; bound to the thread that asks first.

    Raises UserError, saying what to install, if there is none.
    """
    try:
        import moderngl

        return moderngl.create_context(require=VERSION, standalone=True, context=_driver())
    except Exception as error:
        cause = " ".join(str(error).split())[:120]
        raise UserError(f"OpenGL 3.3 is not available ({cause}). Install it with: {INSTALL}") from error


@cache
def _driver() -> Any:
    """The context as the driver made it, which knows where its functions are."""
    from glcontext import get_backend_by_name

    begin = get_backend_by_name("egl")
    try:
        return begin(mode="standalone", glversion=VERSION, **LIBRARIES)
    except Exception:
        return begin(mode="standalone", glversion=VERSION)


def driver_function(name: str, result: Any, *arguments: Any) -> Any:
    """A function of OpenGL that the binding lacks, by its name and the C types that it gives and takes."""
    return ctypes.CFUNCTYPE(result, *arguments)(_driver().load(name))
