"""Results looked up by content: one cache with a byte budget, and no result computed twice at a time."""

import os
import time
from collections.abc import Callable, Hashable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, fields, is_dataclass
from operator import is_
from threading import Lock, get_ident, local
from typing import Any, TypeVar

import numpy as np

from even_palette.core.errors import NotReady
from even_palette.core.raster.tiles import Grid, Tile, TiledPlane
from even_palette.core.results.disk_cache import DiskCache

T = TypeVar("T")
LEAST_SECONDS = 1e-4
MOST_BYTES = 1 << 30
"""However much memory a machine has: what follows from a kit shares it with game editors and painting programs."""


@dataclass(eq=False)
class _Kept:
    result: Any
    size: int
    seconds: float
    rank: float = 0.0
    used: int = 0


class Cache:
    """Keeps the results that would cost most to make again for their size; those used lately count more.

    Keys name by content all that a result depends on. What goes is chosen by GreedyDual-Size (Cao and Irani 1997): a
    result's rank is the seconds that it took a byte, above the rank of what went last; every look refreshes it.
    The thread `only_looks` makes nothing and waits for nothing: it gets what is kept, or NotReady. What is held, such
    as all that the kit in view needs, does not go.
    """

    def __init__(self, budget_bytes: int = 0, disk: DiskCache | None = None) -> None:
        self.budget_bytes = budget_bytes or min(physical_memory() * 2 // 5, MOST_BYTES)
        self.disk = disk or DiskCache()
        self.only_looks: int | None = None
        self._results: dict[Hashable, _Kept] = {}
        self._bytes = 0
        self._floor, self._uses = 0.0, 0
        self._lock = Lock()
        self._running: dict[Hashable, Lock] = {}
        self._held: dict[Hashable, set[Hashable]] = {}
        self._noting = local()

    def get(self, key: Hashable, compute: Callable[[], T]) -> T:
        """The result under the key, computed now if it is not kept. Threads that ask for the same wait for one.

        Raises NotReady on the thread that only looks.
        """
        with self._lock:
            noted: set[Hashable] | None = getattr(self._noting, "keys", None)
            if noted is not None:
                noted.add(key)
            kept = self._results.get(key)
            if kept is not None:
                self._refresh(kept)
                return kept.result  # type: ignore[no-any-return]
            if self.only_looks == get_ident():
                raise NotReady(key, lambda: self.get(key, compute))
            turn = self._running.setdefault(key, Lock())
        with turn:
            with self._lock:
                kept = self._results.get(key)
                if kept is not None:
                    self._refresh(kept)
                    return kept.result  # type: ignore[no-any-return]
            try:
                started = time.perf_counter()
                result = compute()
                self._keep(key, result, time.perf_counter() - started)
            finally:
                with self._lock:
                    self._running.pop(key, None)
            return result

    def get_lasting(self, kind: type[T], key: Hashable, compute: Callable[[], T]) -> T:
        """As `get`, and kept on disk between runs. For results that are dataclasses of arrays, or arrays."""
        return self.get(key, lambda: self.disk.get(kind, key, compute))

    @contextmanager
    def holding(self, purpose: str) -> Iterator[None]:
        """Hold what this thread asks for within, in place of what was held for the same purpose before.

        While it goes on both are held; if it fails, what was held before stays.
        """
        keys: set[Hashable] = set()
        with self._lock:
            self._held[id(keys)] = keys
        self._noting.keys = keys
        try:
            yield
            with self._lock:
                self._held[purpose] = keys
        finally:
            self._noting.keys = None
            with self._lock:
                self._held.pop(id(keys), None)

    def peek(self, key: Hashable) -> Any | None:
        """The result under the key if it is kept in memory."""
        with self._lock:
            kept = self._results.get(key)
            if kept is None:
                return None
            self._refresh(kept)
            return kept.result

    def _refresh(self, kept: _Kept) -> None:
        self._uses += 1
        kept.used = self._uses
        kept.rank = self._floor + max(kept.seconds, LEAST_SECONDS) / kept.size

    def _keep(self, key: Hashable, result: Any, seconds: float) -> None:
        kept = _Kept(result, size_of(result), seconds)
        with self._lock:
            old = self._results.pop(key, None)
            self._bytes += kept.size - (old.size if old else 0)
            self._refresh(kept)
            self._results[key] = kept
            while self._bytes > self.budget_bytes:
                held = set().union({key}, *self._held.values())
                others = ((kept.rank, kept.used, k) for k, kept in self._results.items() if k not in held)
                *_, least = min(others, key=lambda other: other[:2], default=(None,))
                if least is None:
                    return
                gone = self._results.pop(least)
                self._floor = max(self._floor, gone.rank)
                self._bytes -= gone.size

    @property
    def is_looked_at(self) -> bool:
        """Whether this thread only looks."""
        return self.only_looks == get_ident()

    @property
    def bytes(self) -> int:
        """What the kept results take."""
        return self._bytes


class Seen:
    """What was made last under a name, for as long as the parts that it is made of are the same objects."""

    def __init__(self) -> None:
        self._results: dict[Hashable, tuple[tuple[object, ...], Any]] = {}

    def get(self, name: Hashable, parts: tuple[object, ...], compute: Callable[[], T]) -> T:
        """The result of these parts, made now if the last was of others."""
        found = self._results.get(name)
        if found is None or len(found[0]) != len(parts) or not all(map(is_, found[0], parts)):
            found = self._results[name] = parts, compute()
        return found[1]


def physical_memory() -> int:
    """Bytes of memory that the machine has."""
    return os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")


def size_of(result: Any) -> int:
    """Bytes of the arrays in a result: an array, a struct or tuple of them; tiles count what they keep."""
    if isinstance(result, np.ndarray):
        return max(64, result.nbytes if 0 not in result.strides[:2] else result.itemsize)
    if isinstance(result, Tile):
        return 64 + result.nbytes
    if isinstance(result, TiledPlane | Grid):
        return 64 * len(result.tiles if isinstance(result, Grid) else result.grid.tiles)
    if isinstance(result, tuple | list):
        return 64 + sum(map(size_of, result))
    if is_dataclass(result):
        return 64 + sum(size_of(getattr(result, field.name)) for field in fields(result))
    return 64
