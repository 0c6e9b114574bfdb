"""Memory that is free again, given back to the system."""

import ctypes
from collections.abc import Callable
from functools import lru_cache


@lru_cache(maxsize=1)
def _trim() -> Callable[[int], int] | None:
    try:
        return ctypes.CDLL(None).malloc_trim
    except (OSError, AttributeError):
        return None


def give_back() -> None:
    """Let the C library give back what is free between pieces in use: tiles come and go, and leave gaps.

    Where the library is not glibc nothing happens. See malloc_trim(3).
    """
    trim = _trim()
    if trim:
        trim(0)
