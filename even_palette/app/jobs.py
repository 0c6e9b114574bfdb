"""Long work on worker threads: progress, time left, cancel, and results back on the window's thread."""

import sys
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from enum import IntEnum
from functools import partial
from os import cpu_count
from threading import Condition, Thread
from typing import Any

from PyQt6.QtCore import QObject, Qt, QTimer, pyqtSignal

from even_palette.core.errors import UserError
from even_palette.core.jobs import Cancelled, CancelToken, Progress
from even_palette.core.log import log
from even_palette.core.memory import give_back

Work = Callable[[Progress, CancelToken], Any]
CLOSING_S = 0.4
PROGRESS_S = 0.05
HAND_OVER_S = 0.001
"""How long a worker may hold the interpreter while the window waits for it."""

GIVE_BACK_S = 5.0
"""How often at the most free memory is given back to the system, when no job is left."""


class Rank(IntEnum):
    """What comes first: what the views show, what the artist asked for, what is looked into besides."""

    VIEW = 0
    ASKED = 1
    CHECK = 2


@dataclass(eq=False)
class _Job:
    label: str
    work: Work
    done: Callable[[Any], None]
    failed: Callable[[str], None]
    ended: Callable[[], None]
    rank: Rank
    place: str
    token: CancelToken
    order: int
    started: float = field(default_factory=time.monotonic)
    set_back: bool = False
    told_at: float = 0.0


class Jobs(QObject):
    """Runs jobs, those of a lower rank first. `changed` tells of the job shown: text, share done, whether it can end.

    Each `place` holds one job: a newer one cancels the older. Checks give way: where a view is waited for, a check
    under way is stopped and begun again afterwards. Threads report through one signal of this object: an object of Qt
    for each job could be freed by one thread while another still returns from it.
    """

    changed = pyqtSignal(str, float, bool)
    _reported = pyqtSignal(object, str, object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        sys.setswitchinterval(HAND_OVER_S)
        self._waiting: list[_Job] = []
        self._running: dict[CancelToken, _Job] = {}
        self._working: set[CancelToken] = set()
        self._condition = Condition()
        self._count = 0
        self._closed = False
        self._given_back = 0.0
        self._reported.connect(self._receive, Qt.ConnectionType.QueuedConnection)  # type: ignore[call-arg]
        self._threads = [
            Thread(target=self._serve, name=f"job-{number}", daemon=True) for number in range(max(2, cpu_count() or 2))
        ]
        for thread in self._threads:
            thread.start()

    def run(
        self,
        label: str,
        work: Work,
        done: Callable[[Any], None],
        failed: Callable[[str], None],
        ended: Callable[[], None] = lambda: None,
        rank: Rank = Rank.ASKED,
        place: str = "",
    ) -> CancelToken:
        """Start work(progress, cancel); `done` or `failed` is called on this thread, then always `ended`.

        A job of another rank than ASKED is not cancelled by the user.
        """
        token = CancelToken()
        if self._closed:
            token.cancel()
            return token
        for other in list(self._running.values()):
            if place and other.place == place:
                other.set_back = False  # what is superseded does not begin again
                other.token.cancel()
        self._count += 1
        job = _Job(label, work, done, failed, ended, rank, place, token, self._count)
        self._running[token] = job
        with self._condition:
            self._waiting.append(job)
            self._condition.notify()
        if rank == Rank.VIEW:
            self._set_checks_back()
        return token

    def _set_checks_back(self) -> None:
        """Stop checks that are at work; they begin again when no view waits."""
        for job in list(self._running.values()):
            if job.rank == Rank.CHECK and job.token in self._working and not job.token.cancelled:
                job.set_back = True
                job.token.cancel()

    def _serve(self) -> None:
        """On a worker thread."""
        while True:
            with self._condition:
                job = self._next()
                while job is None and not self._closed:
                    self._condition.wait()
                    job = self._next()
                if job is None or self._closed:
                    return
                self._waiting.remove(job)
                self._working.add(job.token)
            self._work(job)
            with self._condition:
                self._working.discard(job.token)
                self._condition.notify_all()
                rests = not self._working and not self._waiting
            if rests and time.monotonic() - self._given_back > GIVE_BACK_S:
                self._given_back = time.monotonic()
                give_back()

    def _next(self) -> _Job | None:
        """The job that comes first. A check waits while a view is waited for or made."""
        found = min(self._waiting, key=lambda job: (job.rank, job.order), default=None)
        if found is None or found.rank != Rank.CHECK:
            return found
        views = any(job.rank == Rank.VIEW and job.token in self._working for job in list(self._running.values()))
        return None if views else found

    def _work(self, job: _Job) -> None:
        token = job.token
        try:
            token.check()
            result = job.work(partial(self._tell_progress, job), token)
        except Cancelled:
            self._report(token, "ended", None)
        except UserError as error:
            self._report(token, "failed", str(error))
        except MemoryError:
            self._report(token, "failed", f"{job.label}: there is not enough memory for this.")
        except Exception as error:
            log().exception("%s failed", job.label)
            self._report(token, "failed", _of_the_program(job.label, error))
        else:
            self._report(token, "done", result)

    def _tell_progress(self, job: _Job, share: float, doing: str) -> None:
        """Pass progress on now and then: a report for each tile would keep the window from answering."""
        now = time.monotonic()
        if now - job.told_at >= PROGRESS_S:
            job.told_at = now
            self._report(job.token, "progress", (share, doing))

    def _report(self, token: CancelToken, what: str, value: object) -> None:
        if not self._closed:
            self._reported.emit(token, what, value)

    def _receive(self, token: CancelToken, what: str, value: Any) -> None:
        job = self._running.get(token)
        if job is None or self._closed:
            return
        if what == "progress":
            share, doing = value
            text = f"{job.label}: {doing}{_time_left(job.started, share)}"
            self.changed.emit(text, share, job.rank == Rank.ASKED)
            return
        del self._running[token]
        if job.set_back and what != "done":
            self.run(job.label, job.work, job.done, job.failed, job.ended, job.rank, job.place)
            return
        if what == "done" and (not token.cancelled or job.set_back):
            self._call(job, lambda: job.done(value))
        elif what == "failed" and not token.cancelled:
            self._call(job, lambda: job.failed(value))
        if not self._running:
            self.changed.emit("", 0.0, False)
        self._call(job, job.ended)

    def _call(self, job: _Job, act: Callable[[], None]) -> None:
        """What a job's starter does with its outcome; its errors must not keep anything waiting."""
        try:
            act()
        except Exception as error:
            log().exception("%s: taking its outcome failed", job.label)
            job.failed(_of_the_program(job.label, error))

    @property
    def busy(self) -> bool:
        """Whether anything waits or is at work."""
        return bool(self._running)

    def holds(self, place: str) -> bool:
        """Whether a job of a place waits or is at work."""
        return any(job.place == place for job in self._running.values())

    def cancel(self) -> None:
        """Cancel what the user started."""
        for token, job in list(self._running.items()):
            if job.rank == Rank.ASKED:
                token.cancel()

    def close(self) -> None:
        """Cancel everything; threads that are still at work shortly after are left to end with the process."""
        with self._condition:
            self._closed = True
            self._waiting.clear()
            self._condition.notify_all()
        for token in list(self._running):
            token.cancel()
        deadline = time.monotonic() + CLOSING_S
        for thread in self._threads:
            thread.join(max(0.0, deadline - time.monotonic()))

    @property
    def idle(self) -> bool:
        """Whether all threads have ended."""
        return not any(thread.is_alive() for thread in self._threads)


def _of_the_program(label: str, error: Exception) -> str:
    told = " ".join(f"{type(error).__name__}: {error}".split())[:160]
    return f"{label}: an error of the program ({told}). Your work is kept; Help → Log has more."


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
