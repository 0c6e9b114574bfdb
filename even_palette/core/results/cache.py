"""Results looked up by content: one cache with a byte budget, and no result computed twice at a time."""

import os
from collections import OrderedDict
from collections.abc import Callable, Hashable
from dataclasses import fields, is_dataclass
from threading import Lock
from typing import Any, TypeVar

import numpy as np

T = TypeVar("T")


class Cache:
    """Keeps the results used last. Keys name by content all that a result depends on."""

    def __init__(self, budget_bytes: int = 0) -> None:
        self.budget_bytes = budget_bytes or physical_memory() * 2 // 5
        self._results: OrderedDict[Hashable, tuple[Any, int]] = OrderedDict()
        self._bytes = 0
        self._lock = Lock()
        self._running: dict[Hashable, Lock] = {}

    def get(self, key: Hashable, compute: Callable[[], T]) -> T:
        """The result under the key, computed now if it is not kept. Threads that ask for the same wait for one."""
        with self._lock:
            if key in self._results:
                self._results.move_to_end(key)
                return self._results[key][0]  # type: ignore[no-any-return]
            turn = self._running.setdefault(key, Lock())
        with turn:
            with self._lock:
                if key in self._results:
                    return self._results[key][0]  # type: ignore[no-any-return]
            try:
                result = compute()
                self._keep(key, result)
            finally:
                with self._lock:
                    self._running.pop(key, None)
            return result

    def peek(self, key: Hashable) -> Any | None:
        """The result under the key if it is kept."""
        with self._lock:
            kept = self._results.get(key)
        return kept[0] if kept else None

    def _keep(self, key: Hashable, result: Any) -> None:
        size = size_of(result)
        with self._lock:
            self._results[key] = (result, size)
            self._bytes += size
            while self._bytes > self.budget_bytes and len(self._results) > 1:
                _, (_, freed) = self._results.popitem(last=False)
                self._bytes -= freed

    @property
    def bytes(self) -> int:
        """What the kept results take."""
        return self._bytes


def physical_memory() -> int:
    """Bytes of memory that the machine has."""
    return os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")


def size_of(result: Any) -> int:
    """Bytes of the arrays in a result: an array, a struct with arrays, or a tuple of them."""
    if isinstance(result, np.ndarray):
        return result.nbytes
    if isinstance(result, tuple | list):
        return sum(map(size_of, result))
    if is_dataclass(result):
        return 64 + sum(size_of(getattr(result, field.name)) for field in fields(result))
    return 64
