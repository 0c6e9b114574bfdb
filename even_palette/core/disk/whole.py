"""Files that appear whole or not at all."""

import contextlib
import fcntl
import os
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

PREFIX = ".even-palette-"
"""Names of unfinished files and folders start so; what starts so and belongs to no living process is ours to remove."""

SWEEP_S = 2.0
"""Folders are looked through for what killed processes left at most so often."""

_swept: dict[Path, float] = {}
_UMASK = os.umask(0)
os.umask(_UMASK)


@contextmanager
def replacing(path: Path, check: Callable[[Path], None] | None = None, synced: bool = True) -> Iterator[Path]:
    """Give a file name beside `path` to write to; afterwards it is synced and takes the place of `path` in one rename.

    `check` may read the synced file and raise before anything old is replaced. If anything raises, the old file
    stays as it was. A link is followed, so that it goes on pointing where it did. What is not `synced` may be lost
    or half there after a power cut: only for what is checked when it is read. Raises OSError if the folder cannot be
    written.
    """
    path = Path(os.path.realpath(path))
    _sweep_sometimes(path.parent)
    temporary, handle = _begin(path)
    try:
        yield temporary
        temporary.chmod(0o666 & ~_UMASK)
        if synced:
            sync(temporary)
        if check:
            check(temporary)
        os.replace(temporary, path)
        if synced:
            sync(path.parent)
    finally:
        temporary.unlink(missing_ok=True)
        os.close(handle)


def _begin(path: Path) -> tuple[Path, int]:
    """An unfinished file beside a path, and a lock on it that ends with this process. Raises OSError."""
    while True:
        handle, name = tempfile.mkstemp(prefix=PREFIX, suffix=path.suffix, dir=path.parent)
        with contextlib.suppress(OSError):
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
            if os.path.samestat(os.fstat(handle), os.stat(name)):
                return Path(name), handle
        os.close(handle)


def _sweep_sometimes(folder: Path) -> None:
    now = time.monotonic()
    if now - _swept.get(folder, -SWEEP_S) >= SWEEP_S:
        _swept[folder] = now
        sweep(folder)


def sweep(folder: Path) -> None:
    """Remove unfinished files that killed processes left in a folder; those of living ones stay."""
    with contextlib.suppress(OSError):
        for path in folder.glob(f"{PREFIX}*"):
            with contextlib.suppress(OSError):
                if path.is_file() and not path.is_symlink() and _is_left(path):
                    path.unlink()


def _is_left(path: Path) -> bool:
    """Whether nobody writes to an unfinished file: its writer holds a lock on it, which ends with its process."""
    handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        return True
    except OSError:
        return False
    finally:
        os.close(handle)


def write_whole(path: Path, data: bytes, synced: bool = True) -> None:
    """Replace a file's contents in one step, as `replacing`. Raises OSError; the old file then stays."""

    def check(temporary: Path) -> None:
        if temporary.stat().st_size != len(data):
            raise OSError(f"{temporary} has not the size that was written")

    with replacing(path, check, synced) as temporary:
        temporary.write_bytes(data)


def sync(path: Path) -> None:
    """Wait until a file or a folder is on the disk. Raises OSError where that fails."""
    handle = os.open(path, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
