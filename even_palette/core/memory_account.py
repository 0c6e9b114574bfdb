"""One account of the memory in which results are kept: who holds how much of it, and how much each may.

Every store is a holder. It has a share of the budget that is always its own; what others leave over it may borrow.
Where all of them together would exceed the budget, those that hold more than their share let go of what they borrowed.
"""

from collections import OrderedDict
from collections.abc import Callable, Hashable
from dataclasses import dataclass
from threading import Lock
from typing import Generic, Protocol, TypeVar
from weakref import WeakSet

from even_palette.core.memory import physical_memory

T = TypeVar("T")
USUAL_SHARE = 0.25
"""Of the machine's memory: what is kept shares it with game editors and painting programs."""
LEAST_SHARE, MOST_SHARE = 0.05, 0.75
MOST_BYTES = 4 << 30
"""However much memory a machine has, more is not taken unless the user says so."""


class Holder(Protocol):
    """A store that keeps what others made."""

    label: str
    """What it is to a user."""
    share: float
    """The part of the budget that is its own, 0..1."""

    @property
    def bytes(self) -> int:
        """What it holds; quick, and from any thread."""
        ...

    def settle(self) -> None:
        """Let go of what is more than the account allows, now or as soon as its thread can. From any thread."""
        ...


@dataclass(frozen=True)
class Line:
    """A line of the account: what holders of one label hold together, and what is their own; bytes."""

    label: str
    held: int
    own: int


class Account:
    """A budget of bytes and its holders. May be used from any thread."""

    def __init__(self, budget_bytes: int = 0) -> None:
        self._budget = budget_bytes or min(int(physical_memory() * USUAL_SHARE), MOST_BYTES)
        self._holders: WeakSet[Holder] = WeakSet()
        self._lock = Lock()

    @property
    def budget(self) -> int:
        """How much all holders may hold together, in bytes."""
        return self._budget

    @budget.setter
    def budget(self, budget_bytes: int) -> None:
        self._budget = budget_bytes
        for holder in self._all():
            holder.settle()

    def take_share(self, share: float) -> None:
        """Make the budget a share of the machine's memory, 0.05..0.75."""
        self.budget = int(physical_memory() * min(max(share, LEAST_SHARE), MOST_SHARE))

    def open(self, holder: Holder) -> None:
        """Let a store be a holder, for as long as it is there."""
        with self._lock:
            self._holders.add(holder)

    def _all(self) -> list[Holder]:
        with self._lock:
            return list(self._holders)

    def allowed(self, holder: Holder) -> int:
        """How many bytes a holder may hold: its share, or what the others leave if that is more."""
        others = sum(other.bytes for other in self._all() if other is not holder)
        return max(int(self._budget * holder.share), self._budget - others)

    def settle(self) -> None:
        """Have those that borrowed let go if all together hold more than the budget. Call it with no lock held."""
        holders = self._all()
        if sum(holder.bytes for holder in holders) <= self._budget:
            return
        for holder in holders:
            if holder.bytes > self._budget * holder.share:
                holder.settle()

    def lines(self) -> list[Line]:
        """What is held, by label, the largest first."""
        held: dict[str, int] = {}
        own: dict[str, int] = {}
        for holder in self._all():
            held[holder.label] = held.get(holder.label, 0) + holder.bytes
            own[holder.label] = int(self._budget * holder.share)
        return [Line(label, held[label], own[label]) for label in sorted(held, key=lambda label: -held[label])]


ACCOUNT = Account()
"""That of this process."""


class Kept(Generic[T]):
    """What was made under a name and used last, as much as an account allows. May be used from any thread.

    What was not used for longest goes first; the newest stays, however large it is.
    """

    def __init__(self, label: str, share: float, size: Callable[[T], int], account: Account = ACCOUNT) -> None:
        self.label, self.share = label, share
        self._size, self._account = size, account
        self._kept: OrderedDict[Hashable, tuple[T, int]] = OrderedDict()
        self._bytes = 0
        self._lock = Lock()
        account.open(self)

    @property
    def bytes(self) -> int:
        """What is held."""
        return self._bytes

    def __len__(self) -> int:
        return len(self._kept)

    @property
    def allowed(self) -> int:
        """How much may be held."""
        return self._account.allowed(self)

    def get(self, name: Hashable, make: Callable[[], T]) -> T:
        """What has this name, made now if it is not kept. Two threads may make the same; one of both is kept."""
        with self._lock:
            if name in self._kept:
                self._kept.move_to_end(name)
                return self._kept[name][0]
        made = make()
        with self._lock:
            if name not in self._kept:
                size = self._size(made)
                self._kept[name] = made, size
                self._bytes += size
        self.settle()
        self._account.settle()
        return made

    def find(self, name: Hashable) -> T | None:
        """What has this name, if it is kept."""
        with self._lock:
            if name not in self._kept:
                return None
            self._kept.move_to_end(name)
            return self._kept[name][0]

    def settle(self) -> None:
        """Let go of what is more than the account allows."""
        most = self.allowed
        with self._lock:
            while self._bytes > most and len(self._kept) > 1:
                _, (_, size) = self._kept.popitem(last=False)
                self._bytes -= size

    def clear(self) -> None:
        """Let go of everything."""
        with self._lock:
            self._kept.clear()
            self._bytes = 0
