"""The one offscreen OpenGL context of a process."""

from functools import cache
from typing import Any

from even_palette.core.errors import UserError

WANTED = {"require": 330, "standalone": True, "backend": "egl"}
"""Without the names of the libraries, programs are started to find them; with them, 20 ms less are waited for."""
INSTALL = "apt-get install libegl1 libgl1 libgl1-mesa-dri"


@cache
def offscreen_context() -> Any:
    """An OpenGL 3.3 context through EGL, without a window; bound to the thread that asks first.

    Raises UserError, saying what to install, if there is none.
    """
    import moderngl

    try:
        try:
            return moderngl.create_context(**WANTED, libgl="libGL.so.1", libegl="libEGL.so.1")  # type: ignore[arg-type]
        except Exception:
            return moderngl.create_context(**WANTED)  # type: ignore[arg-type]
    except Exception as error:
        cause = " ".join(str(error).split())[:120]
        raise UserError(f"OpenGL 3.3 is not available ({cause}). Install it with: {INSTALL}") from error
