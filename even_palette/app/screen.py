"""Whether there is a screen to open a window on. Qt would end the process where there is none."""

import os
from pathlib import Path

from even_palette.core.errors import UserError


def require_screen() -> None:
    """Raise UserError unless a display server can be reached, or Qt was told to use something else than one."""
    asked = os.environ.get("QT_QPA_PLATFORM", "").partition(":")[0].partition(";")[0]
    if asked not in ("", "xcb", "wayland", "wayland-egl"):
        return
    display, wayland = os.environ.get("DISPLAY", ""), os.environ.get("WAYLAND_DISPLAY", "")
    if (wayland and _wayland_answers(wayland)) or (display and _x11_answers(display)):
        return
    told = f"“{wayland or display}” does not answer" if wayland or display else "DISPLAY is not set"
    raise UserError(f"there is no screen to open a window on ({told}).")


def _wayland_answers(name: str) -> bool:
    import socket

    path = Path(os.environ.get("XDG_RUNTIME_DIR", "/run")) / name
    try:
        with socket.socket(socket.AF_UNIX) as line:
            line.connect(str(path))
            return True
    except OSError:
        return False


def _x11_answers(name: str) -> bool:
    """Whether an X server lets us in, asked through libxcb, which Qt uses as well."""
    import ctypes.util

    try:
        xcb = ctypes.CDLL(ctypes.util.find_library("xcb") or "libxcb.so.1")
    except OSError:
        return True  # let Qt say what is missing
    xcb.xcb_connect.restype = ctypes.c_void_p
    xcb.xcb_connect.argtypes = (ctypes.c_char_p, ctypes.c_void_p)
    xcb.xcb_connection_has_error.argtypes = xcb.xcb_disconnect.argtypes = (ctypes.c_void_p,)
    line = xcb.xcb_connect(os.fsencode(name), None)
    try:
        return bool(xcb.xcb_connection_has_error(line) == 0)
    finally:
        xcb.xcb_disconnect(line)
