"""Memory of the machine: how much there is, and giving back what is free again."""

import ctypes
import os
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


def physical_memory() -> int:
    """Bytes of memory that the machine has."""
    return os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")
