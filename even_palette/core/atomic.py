"""Files that appear whole or not at all."""

import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

_UMASK = os.umask(0)
os.umask(_UMASK)


@contextmanager
def replacing(path: Path) -> Iterator[Path]:
    """Give a file name beside `path` to write to; afterwards it is synced and takes the place of `path` in one rename.

    If the block raises, the old file stays as it was. Raises OSError if the folder cannot be written.
    """
    handle, name = tempfile.mkstemp(prefix=f".{path.stem}-", suffix=path.suffix, dir=path.parent)
    os.close(handle)
    temporary = Path(name)
    try:
        yield temporary
        temporary.chmod(0o666 & ~_UMASK)
        _sync(temporary, os.O_RDWR)
        os.replace(temporary, path)
        _sync(path.parent, os.O_RDONLY)
    finally:
        temporary.unlink(missing_ok=True)


def write_whole(path: Path, data: bytes) -> None:
    """Replace a file's contents in one step. Raises OSError; the old file then stays."""
    with replacing(path) as temporary:
        temporary.write_bytes(data)


def _sync(path: Path, flags: int) -> None:
    handle = os.open(path, flags)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
