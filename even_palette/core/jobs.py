"""What long work needs from whoever started it: a place to report progress and a wish to stop."""

from collections.abc import Callable
from threading import Event

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

    def check(self) -> None:
        """Raise Cancelled if the work was asked to stop."""
        if self._event.is_set():
            raise Cancelled
