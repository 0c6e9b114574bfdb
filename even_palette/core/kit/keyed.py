"""Parts of a tree that have keys: found, and changed one at a time."""

from collections.abc import Callable, Sequence
from typing import Protocol, TypeVar


class HasKey(Protocol):
    """What has a key."""

    @property
    def key(self) -> str:
        """An identifier that stays."""
        ...


T = TypeVar("T")
Keyed = TypeVar("Keyed", bound=HasKey)


def by_key(parts: Sequence[Keyed]) -> dict[str, Keyed]:
    """The parts by their keys; of two of one key the first."""
    return {part.key: part for part in reversed(parts)}


def change_one(items: tuple[T, ...], which: Callable[[T], bool], change: Callable[[T], T]) -> tuple[T, ...]:
    """The items with the change made to those that match."""
    return tuple(change(item) if which(item) else item for item in items)
