"""Results looked up by content: one cache within the account of memory, and no result computed twice at a time."""

import time
from collections.abc import Callable, Hashable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, fields, is_dataclass
from operator import is_
from threading import Lock, get_ident, local
from typing import Any, TypeVar

import numpy as np

from even_palette.core.errors import NotReady
from even_palette.core.memory_account import ACCOUNT, Account
from even_palette.core.raster.tiles import Grid, Tile, TiledPlane
from even_palette.core.results.disk_cache import DiskCache

T = TypeVar("T")
LEAST_SECONDS = 1e-4
SLACK = 16
"""What is over the budget goes with a sixteenth of the budget more, so that results are ranked seldom."""


@dataclass(eq=False)
class _Kept:
    result: Any
    blocks: dict[int, int]
    seconds: float
    rank: float = 0.0
    used: int = 0

    @property
    def size(self) -> int:
        return 64 + sum(self.blocks.values())


class Cache:
    """Keeps the results that would cost most to make again for their size; those used lately count more.

    Keys name by content all that a result depends on. What goes is chosen by GreedyDual-Size (Cao and Irani 1997): a
    result's rank is the seconds that it took a byte, above the rank of what went last; every look refreshes it.
    Memory that several results share, such as a tile that two planes have, counts once and goes with the last of them.
    The thread `only_looks` makes nothing and waits for nothing: it gets what is kept, or NotReady. What is held, such
    as all that the kit in view needs, does not go, nor does what would free nothing because of it.
    """

    label, share = "Results", 0.37

    def __init__(self, account: Account = ACCOUNT, disk: DiskCache | None = None) -> None:
        self._account = account
        self.disk = disk or DiskCache()
        self.only_looks: int | None = None
        self._results: dict[Hashable, _Kept] = {}
        self._bytes = 0
        self._blocks: dict[int, int] = {}
        self._needed = 0
        self._floor, self._uses = 0.0, 0
        self._lock = Lock()
        self._running: dict[Hashable, Lock] = {}
        self._held: dict[Hashable, set[Hashable]] = {}
        self._noting = local()
        account.open(self)

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
                self._needed = 0
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
        kept = _Kept(result, blocks_of(result), seconds)
        with self._lock:
            self._remove(key)
            self._refresh(kept)
            self._results[key] = kept
            self._bytes += 64
            for block, size in kept.blocks.items():
                users = self._blocks.get(block, 0)
                self._blocks[block] = users + 1
                self._bytes += 0 if users else size
            self._make_room(key)
        self._account.settle()

    def _remove(self, key: Hashable) -> None:
        gone = self._results.pop(key, None)
        if gone is None:
            return
        self._bytes -= 64
        for block, size in gone.blocks.items():
            self._blocks[block] -= 1
            if not self._blocks[block]:
                del self._blocks[block]
                self._bytes -= size

    def settle(self) -> None:
        """Let go of what is more than the account allows."""
        with self._lock:
            self._make_room()

    def _make_room(self, newest: Hashable = None) -> None:
        """Let go of those of least rank. However much is held, a quarter of the budget is there for what is not."""
        budget = self._account.allowed(self)
        if self._bytes <= max(budget, self._needed):
            return
        held = set().union({newest}, *self._held.values())
        blocks: dict[int, int] = {}
        for key in held & self._results.keys():
            blocks |= self._results[key].blocks
        self._needed = sum(blocks.values()) + budget // 4
        allowed = max(budget, self._needed)
        if self._bytes <= allowed:
            return
        others = [
            (kept.rank, kept.used, key) for key, kept in self._results.items()
            if key not in held and not (kept.blocks and kept.blocks.keys() <= blocks.keys())
        ]  # fmt: skip
        for rank, _, key in sorted(others, key=lambda other: other[:2]):
            self._remove(key)
            self._floor = max(self._floor, rank)
            if self._bytes <= allowed - budget // SLACK:
                break

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

    def forget(self) -> None:
        """Let go of all of it."""
        self._results.clear()


def blocks_of(result: Any) -> dict[int, int]:
    """The blocks of memory that a result keeps, and their bytes: arrays, tiles, and structs or tuples of them.

    A view keeps all of the array that it looks into. A block's number is its own for as long as the result is there.
    """
    found: dict[int, int] = {}
    _gather(result, found)
    return found


def _gather(result: Any, found: dict[int, int]) -> None:
    if isinstance(result, np.ndarray):
        while isinstance(result.base, np.ndarray):
            result = result.base
        found[id(result)] = 64 + result.nbytes
    elif isinstance(result, Tile):
        found[id(result)] = 64 + result.nbytes
    elif isinstance(result, TiledPlane):
        _gather(result.grid, found)
    elif isinstance(result, Grid):
        found[id(result)] = 64 + 8 * len(result.tiles)
        found.update((id(tile), 64 + tile.nbytes) for tile in result.tiles)
    elif isinstance(result, tuple | list):
        for part in result:
            _gather(part, found)
    elif is_dataclass(result):
        for field in fields(result):
            _gather(getattr(result, field.name), found)
