"""Has the system read ahead what the last start read, so that this one seldom waits for the disk."""

import contextlib
import os
import sys
from enum import StrEnum
from pathlib import Path
from threading import Thread

from even_palette.core.disk.places import cache_home
from even_palette.core.disk.whole import write_whole

MOST_FILES = 2000


class Part(StrEnum):
    """What is read until the window is there; what the views take beside that, such as the driver's libraries."""

    WINDOW = "window"
    VIEWS = "views"


def read_ahead(part: Part) -> None:
    """Ask the system for the files of a part of the last start; it reads them while this one goes on."""
    Thread(target=_ask, args=(part,), name="read ahead", daemon=True).start()


def remember(part: Part) -> None:
    """Keep for the next start which files this process has read as a part."""
    Thread(target=_keep, args=(part,), name="remember", daemon=True).start()


def _keep(part: Part) -> None:
    before = set(_kept(Part.WINDOW)) if part == Part.VIEWS else set[str]()
    found = [path for path in _loaded() if path not in before][:MOST_FILES]
    if found != _kept(part):
        with contextlib.suppress(OSError):
            cache_home().mkdir(parents=True, exist_ok=True)
            write_whole(_place(part), os.fsencode("\n".join(found)), synced=False)


def _place(part: Part) -> Path:
    return cache_home() / f"start-{part}.txt"


def _kept(part: Part) -> list[str]:
    try:
        return os.fsdecode(_place(part).read_bytes()).split("\n")[:MOST_FILES]
    except OSError:
        return []


def _ask(part: Part) -> None:
    for path in _kept(part):
        with contextlib.suppress(OSError, ValueError):
            file = os.open(path, os.O_RDONLY | os.O_NONBLOCK)
            try:
                os.posix_fadvise(file, 0, 0, os.POSIX_FADV_WILLNEED)
            finally:
                os.close(file)


def _loaded() -> list[str]:
    """The files of libraries, and of modules in the order in which they came."""
    modules = [getattr(one, "__cached__", None) or getattr(one, "__file__", None) for one in list(sys.modules.values())]
    mapped = [line.split(b" ", 5)[-1].strip() for line in Path("/proc/self/maps").read_bytes().splitlines()]
    libraries = [os.fsdecode(path) for path in mapped if path.startswith(b"/")]
    return [path for path in dict.fromkeys([*libraries, *filter(None, modules)]) if os.path.isfile(path)]
