"""The gate that every file passes on its way in: its kind, its size, and what it will take in memory."""

import errno
import hashlib
import os
import stat
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

from even_palette.core.errors import UserError

MOST_WORKING = 3 << 30
"""Bytes of memory that the work on one file may take, whatever the machine has."""

KINDS = (
    (stat.S_ISDIR, "a folder"),
    (stat.S_ISFIFO, "a named pipe"),
    (stat.S_ISSOCK, "a socket"),
    (stat.S_ISCHR, "a device"),
    (stat.S_ISBLK, "a device"),
)


def file_size(path: Path, most_bytes: int) -> int:
    """The size of a plain file in bytes; links are followed.

    Raises UserError, naming the file, if it is not there, is no plain file, or is larger than `most_bytes`.
    """
    try:
        return _checked(path, os.stat(path), most_bytes)
    except (OSError, ValueError) as error:
        raise UserError(f"{path}: cannot be opened ({reason(error)}).") from None


def read_bytes(path: Path, most_bytes: int) -> bytes:
    """The contents of a plain file of at most `most_bytes`, without waiting for pipes. Raises UserError."""
    try:
        handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
    except (OSError, ValueError) as error:
        raise UserError(f"{path}: cannot be opened ({reason(error)}).") from None
    try:
        _checked(path, os.fstat(handle), most_bytes)
        with os.fdopen(handle, "rb", closefd=False) as file:
            data = file.read(most_bytes + 1)
    except OSError as error:
        raise UserError(f"{path}: cannot be read ({reason(error)}).") from None
    finally:
        os.close(handle)
    if len(data) > most_bytes:
        raise UserError(f"{path}: grew while it was read; the limit is {size_text(most_bytes)}.")
    return data


@dataclass(frozen=True)
class FileState:
    """What tells that a file was written to: its device and number, its size, and its times."""

    numbers: tuple[int, ...]

    @classmethod
    def of(cls, path: Path) -> "FileState":
        """Raises UserError if the file is not there."""
        try:
            found = os.stat(path)
        except (OSError, ValueError) as error:
            raise UserError(f"{path}: cannot be opened ({reason(error)}).") from None
        return cls((found.st_dev, found.st_ino, found.st_size, found.st_mtime_ns, found.st_ctime_ns))


def sha256_of(path: Path, most_bytes: int) -> str:
    """The SHA-256 of a plain file, which is read in parts. Raises UserError."""
    file_size(path, most_bytes)
    try:
        with path.open("rb") as file:
            return hashlib.file_digest(file, "sha256").hexdigest()
    except (OSError, ValueError) as error:
        raise UserError(f"{path}: cannot be read ({reason(error)}).") from None


def _checked(path: Path, found: os.stat_result, most_bytes: int) -> int:
    for matches, name in KINDS:
        if matches(found.st_mode):
            raise UserError(f"{path}: is {name}, not a file.")
    if found.st_size > most_bytes:
        raise UserError(f"{path}: has {size_text(found.st_size)}; the limit is {size_text(most_bytes)}.")
    return found.st_size


def exists(path: Path) -> bool:
    """Whether something is there; a name that no file can have is not."""
    try:
        os.stat(path)
    except (OSError, ValueError):
        return False
    return True


def check_memory(name: str, needed: int, what: str) -> None:
    """Raise UserError, with the figures, if work on a file would take more memory than the machine can spare.

    `needed` is an estimate in bytes; half of what is free may be used, and never more than `MOST_WORKING`.
    """
    free = available_memory()
    most = min(MOST_WORKING, free // 2)
    if needed > most:
        raise UserError(
            f"{name}: {what} needs about {size_text(needed)} of memory; the limit is {size_text(most)} "
            f"({size_text(free)} are free)."
        )


def available_memory() -> int:
    """Bytes of memory to be had without swapping (MemAvailable of proc(5)); half of all where that is not told."""
    try:
        with open("/proc/meminfo", encoding="ascii") as lines:
            for line in lines:
                if line.startswith("MemAvailable:"):
                    return int(line.split()[1]) * 1024
    except (OSError, ValueError, IndexError):
        pass
    return os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") // 2


def refuse_sources(path: Path, read: Iterable[Path]) -> None:
    """Raise UserError if writing to `path` would replace one of the files that are read, or a folder that holds one."""
    target = Path(os.path.realpath(path))
    for source in read:
        real = Path(os.path.realpath(source))
        if real == target or target in real.parents:
            raise UserError(f"{path}: {real.name} there is a file that is read from; choose another place.")


def reason(error: OSError | ValueError) -> str:
    """What went wrong with a file, in a few words."""
    if not isinstance(error, OSError):
        return "no file can have this name"
    if error.errno == errno.ENAMETOOLONG:
        return "the name is too long"
    return error.strerror or type(error).__name__


def size_text(count: int) -> str:
    """Bytes for people, with binary prefixes (IEC 80000-13).

    >>> size_text(5 << 20)
    '5.0 MiB'
    """
    size = float(count)
    for unit in ("bytes", "KiB", "MiB"):
        if size < 1024:
            return f"{count} bytes" if unit == "bytes" else f"{size:.1f} {unit}"
        size /= 1024
    return f"{size:.1f} GiB"
