"""Files that appear whole or not at all."""

import os
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

PREFIX = ".even-palette-"
"""Names of unfinished files and folders start so; what starts so and belongs to no living process is ours to remove."""

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
    handle, name = tempfile.mkstemp(prefix=PREFIX, suffix=path.suffix, dir=path.parent)
    os.close(handle)
    temporary = Path(name)
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
