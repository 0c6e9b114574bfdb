"""Long work on worker threads: progress, time left, cancel, and results back on the window's thread."""

import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from os import cpu_count
from typing import Any

from PyQt6.QtCore import QObject, Qt, QTimer, pyqtSignal

from even_palette.core.errors import UserError
from even_palette.core.jobs import Cancelled, CancelToken, Progress

Work = Callable[[Progress, CancelToken], Any]


@dataclass(frozen=True)
class _Job:
    label: str
    done: Callable[[Any], None]
    failed: Callable[[str], None]
    ended: Callable[[], None]
    needed: bool
    started: float


class Jobs(QObject):
    """Runs jobs. `changed` tells of the job shown: text ("" for none), share done, whether it can be cancelled.

    Threads report through one signal of this object: an object of Qt for each job could be freed by one thread while
    another still returns from it.
    """

    changed = pyqtSignal(str, float, bool)
    _reported = pyqtSignal(object, str, object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._pool = ThreadPoolExecutor(max(2, cpu_count() or 2), "job")
        self._running: dict[CancelToken, _Job] = {}
        self._closed = False
        self._reported.connect(self._receive, Qt.ConnectionType.QueuedConnection)  # type: ignore[call-arg]

    def run(
        self,
        label: str,
        work: Work,
        done: Callable[[Any], None],
        failed: Callable[[str], None],
        ended: Callable[[], None] = lambda: None,
        needed: bool = False,
    ) -> CancelToken:
        """Start work(progress, cancel); `done` or `failed` is called on this thread, then always `ended`.

        A `needed` job, without which the views would be stale, is not cancelled by the user.
        """
        token = CancelToken()
        if self._closed:
            token.cancel()
            return token
        self._running[token] = _Job(label, done, failed, ended, needed, time.monotonic())
        self._pool.submit(self._work, token, work)
        return token

    def _work(self, token: CancelToken, work: Work) -> None:
        """On a worker thread."""
        try:
            token.check()
            result = work(lambda share, doing: self._report(token, "progress", (share, doing)), token)
        except Cancelled:
            self._report(token, "ended", None)
        except UserError as error:
            self._report(token, "failed", str(error))
        except Exception as error:
            self._report(token, "failed", f"An error of the program: {type(error).__name__}: {error}")
        else:
            self._report(token, "done", result)

    def _report(self, token: CancelToken, what: str, value: object) -> None:
        if not self._closed:
            self._reported.emit(token, what, value)

    def _receive(self, token: CancelToken, what: str, value: Any) -> None:
        job = self._running.get(token)
        if job is None or self._closed:
            return
        if what == "progress":
            share, doing = value
            self.changed.emit(f"{job.label}: {doing}{_time_left(job.started, share)}", share, not job.needed)
            return
        if what == "done" and not token.cancelled:
            job.done(value)
        elif what == "failed":
            job.failed(value)
        self._running.pop(token, None)
        if not self._running:
            self.changed.emit("", 0.0, False)
        job.ended()

    @property
    def busy(self) -> bool:
        return bool(self._running)

    def cancel(self) -> None:
        """Cancel what the user started."""
        for token, job in list(self._running.items()):
            if not job.needed:
                token.cancel()

    def close(self) -> None:
        """Cancel everything and wait until the threads are idle; what they still report is dropped."""
        self._closed = True
        for token in list(self._running):
            token.cancel()
        self._pool.shutdown(wait=True, cancel_futures=True)


def one_shot(parent: QObject, interval_ms: int, act: Callable[[], object]) -> QTimer:
    """A timer that acts once, so many milliseconds after its last start."""
    timer = QTimer(parent)
    timer.setSingleShot(True)
    timer.setInterval(interval_ms)
    timer.timeout.connect(act)
    return timer


def _time_left(started: float, share: float) -> str:
    spent = time.monotonic() - started
    if share < 0.05 or spent < 1:
        return ""
    return f", {spent / share - spent:.0f} s left"
