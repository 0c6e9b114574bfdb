"""What long work needs from whoever started it: a place to report progress and a wish to stop."""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from os import cpu_count
from threading import Event, Thread
from typing import Any

from even_palette.core.log import log

PARTS_A_PROCESSOR = 64
"""So many that a wish to stop is heard soon, and all processors end together."""

Progress = Callable[[float, str], None]
"""Called with the share done, 0..1, and what is being done."""


def silent(share: float, doing: str) -> None:
    """A Progress for callers who do not show any."""


class Cancelled(Exception):
    """Raised inside a job after its token was cancelled."""


class CancelToken:
    """Shared by a job and its starter. The job calls `check` between pieces of work."""

    def __init__(self) -> None:
        self._event = Event()

    def cancel(self) -> None:
        """Ask the work to stop; may be called from any thread."""
        self._event.set()

    @property
    def cancelled(self) -> bool:
        """Whether the work was asked to stop."""
        return self._event.is_set()

    def wait(self, seconds: float) -> None:
        """Rest so long, or until the work is asked to stop."""
        self._event.wait(seconds)

    def check(self) -> None:
        """Raise Cancelled if the work was asked to stop."""
        if self._event.is_set():
            raise Cancelled


def in_parts(count: int, work: Callable[[int, int], object], cancel: CancelToken | None = None) -> None:
    """Do `work(first, last)` on parts of a range, on all processors. Raises Cancelled, between two parts."""

    def part(first: int) -> None:
        if cancel:
            cancel.check()
        work(first, min(first + step, count))

    workers = cpu_count() or 1
    step = max(1, -(-count // (workers * PARTS_A_PROCESSOR)))
    with ThreadPoolExecutor(workers) as pool:
        list(pool.map(part, range(0, count, step)))


def make_apart(name: str, make: Callable[[], object], tell: Callable[[Any], object]) -> None:
    """Make something on a thread of its own, where it may take long and shall keep no job waiting.

    `tell` gets it there, or None where it could not be made; work that was cancelled tells nothing.
    """

    def work() -> None:
        made = None
        try:
            made = make()
        except Cancelled:
            return
        except Exception:
            log().exception("%s: could not be made", name)
        with suppress(RuntimeError):  # a signal of an object that is gone: the window closed meanwhile
            tell(made)

    Thread(target=work, name=name, daemon=True).start()
