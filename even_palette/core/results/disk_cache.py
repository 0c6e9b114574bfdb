"""Results kept on disk between runs: under the cache in memory, bounded, checked when read, safe with two windows.

A file holds arrays, aligned as compiled loops want them, with a checksum over all of them (safetensors). What is
damaged, or of another version, is not there: the result is made anew.
"""

import contextlib
import hashlib
import os
import time
from collections.abc import Callable
from dataclasses import fields, is_dataclass
from functools import cache
from pathlib import Path
from typing import TypeVar

import msgspec
import numpy as np

from even_palette.core.arrays import Samples
from even_palette.core.disk.gate import file_size
from even_palette.core.disk.places import cache_home
from even_palette.core.disk.whole import PREFIX, write_whole
from even_palette.core.errors import UserError

T = TypeVar("T")
MOST_BYTES = 2 << 30
MOST_FILE_BYTES = 1 << 30
SUFFIX = ".safetensors"
LITTER_S = 3600


class _Head(msgspec.Struct, frozen=True):
    version: str
    numbers: dict[str, float]
    digest: str


@cache
def code_version(folder: Path = Path(__file__).parents[1]) -> str:
    """Names the code that makes results by the text of all its modules: another text may give other results."""
    digest = hashlib.blake2b(f"{np.__version__}".encode(), digest_size=16)
    for path in sorted(folder.rglob("*.py")):
        digest.update(path.relative_to(folder).as_posix().encode() + b"\0" + path.read_bytes() + b"\0")
    return digest.hexdigest()


def cache_folder() -> Path:
    """The folder of the disk cache."""
    return cache_home() / "results"


class DiskCache:
    """Keeps results that are frozen dataclasses of arrays and numbers, or single arrays, by what they depend on."""

    def __init__(self, folder: Path | None = None, most_bytes: int = MOST_BYTES) -> None:
        self.folder = folder or cache_folder()
        self._most = most_bytes
        self._written = 0

    def get(self, kind: type[T], key: object, compute: Callable[[], T]) -> T:
        """The result under a key, made now and kept if it is not there."""
        found = self.find(kind, key)
        if found is not None:
            return found
        made = compute()
        self.keep(key, made)
        return made

    def find(self, kind: type[T], key: object) -> T | None:
        """The result under a key, if it is there."""
        path = self._path(key)
        found = self._read(kind, path)
        if found is not None:
            with contextlib.suppress(OSError):
                os.utime(path)
        return found

    def keep(self, key: object, result: object) -> None:
        """Keep a result under a key."""
        self._write(self._path(key), result)

    def _path(self, key: object) -> Path:
        return self.folder / f"{hashlib.sha256(repr(key).encode()).hexdigest()}{SUFFIX}"

    def _read(self, kind: type[T], path: Path) -> T | None:
        from safetensors import SafetensorError, safe_open

        try:
            file_size(path, MOST_FILE_BYTES)
            with safe_open(path, framework="np") as file:
                head = msgspec.json.decode((file.metadata() or {})["head"], type=_Head)
                arrays = {name: file.get_tensor(name) for name in file.keys()}  # noqa: SIM118  it is no mapping
            if head.version != code_version():
                raise ValueError("another version")
            if head.digest != _digest(arrays, head.numbers):
                raise ValueError("the checksum is wrong")
            for array in arrays.values():
                array.flags.writeable = False
            if kind is np.ndarray:
                return arrays["array"]  # type: ignore[no-any-return]
            return kind(**arrays, **{name: int(v) if v == int(v) else v for name, v in head.numbers.items()})
        except UserError:
            return None
        except (ValueError, TypeError, KeyError, OSError, SafetensorError, msgspec.MsgspecError):
            with contextlib.suppress(OSError):
                path.unlink()
            return None

    def _write(self, path: Path, result: object) -> None:
        from safetensors.numpy import save

        arrays, numbers = _taken_apart(result)
        if sum(array.nbytes for array in arrays.values()) > min(MOST_FILE_BYTES, self._most // 4):
            return
        arrays = {name: np.ascontiguousarray(array).reshape(array.shape) for name, array in arrays.items()}
        head = _Head(code_version(), numbers, _digest(arrays, numbers))
        data = save(arrays, {"head": msgspec.json.encode(head).decode()})
        with contextlib.suppress(OSError):
            self.folder.mkdir(parents=True, exist_ok=True)
            write_whole(path, data, synced=False)
            self._written += len(data)
            if self._written > self._most // 8:
                self.tidy()

    def tidy(self) -> None:
        """Remove what was used longest ago until the rest fits, and what killed runs left."""
        self._written = 0
        found = []
        with contextlib.suppress(OSError):
            for entry in os.scandir(self.folder):
                with contextlib.suppress(OSError):
                    seen = entry.stat()
                    if entry.name.startswith(PREFIX) and time.time() - seen.st_mtime > LITTER_S:
                        os.unlink(entry.path)
                    elif entry.name.endswith(SUFFIX):
                        found.append((seen.st_mtime, seen.st_size, entry.path))
        total = sum(size for _, size, _ in found)
        for _, size, path in sorted(found):
            if total <= self._most:
                return
            with contextlib.suppress(OSError):
                os.unlink(path)
            total -= size


def _digest(arrays: dict[str, Samples], numbers: dict[str, float]) -> str:
    told = sorted((name, float(value)) for name, value in numbers.items())
    digest = hashlib.blake2b(repr(told).encode(), digest_size=32)
    for name, array in sorted(arrays.items()):
        digest.update(f"{name} {array.dtype.str} {array.shape}".encode())
        digest.update(np.ascontiguousarray(array).data)
    return digest.hexdigest()


def _taken_apart(result: object) -> tuple[dict[str, Samples], dict[str, float]]:
    if isinstance(result, np.ndarray):
        return {"array": result}, {}
    assert is_dataclass(result)
    values = {field.name: getattr(result, field.name) for field in fields(result)}
    arrays = {name: value for name, value in values.items() if isinstance(value, np.ndarray)}
    return arrays, {name: value for name, value in values.items() if name not in arrays}
