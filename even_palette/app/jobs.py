"""Long work on worker threads: progress, time left, cancel, and results back on the window's thread."""

import time
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, QRunnable, QThreadPool, QTimer, pyqtSignal

from even_palette.core.errors import UserError
from even_palette.core.jobs import Cancelled, CancelToken, Progress

Work = Callable[[Progress, CancelToken], Any]


class _Signals(QObject):
    progress = pyqtSignal(float, str)
    done = pyqtSignal(object)
    failed = pyqtSignal(str)
    ended = pyqtSignal()


class _Runnable(QRunnable):
    def __init__(self, work: Work, token: CancelToken) -> None:
        super().__init__()
        self.work, self.token, self.signals = work, token, _Signals()

    def run(self) -> None:
        try:
            result = self.work(self.signals.progress.emit, self.token)
        except Cancelled:
            self._tell(self.signals.ended)
        except UserError as error:
            self._tell(self.signals.failed, str(error))
        except Exception as error:
            self._tell(self.signals.failed, f"An error of the program: {type(error).__name__}: {error}")
        else:
            self._tell(self.signals.done, result)

    def _tell(self, signal: Any, *values: Any) -> None:
        try:
            signal.emit(*values)
        except RuntimeError:
            return  # the window is gone


class Jobs(QObject):
    """Runs jobs. `changed` tells of the job shown: text ("" for none), share done, whether it can be cancelled."""

    changed = pyqtSignal(str, float, bool)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._pool = QThreadPool(self)
        self._running: dict[CancelToken, _Runnable] = {}
        self._needed: set[CancelToken] = set()
        self._closed = False

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
        runnable = _Runnable(work, token)
        runnable.setAutoDelete(False)
        self._running[token] = runnable
        if needed:
            self._needed.add(token)
        started = time.monotonic()

        def tell(share: float, doing: str) -> None:
            if token in self._running and not self._closed:
                self.changed.emit(f"{label}: {doing}{_time_left(started, share)}", share, not needed)

        def finish() -> None:
            if self._closed:
                return
            self._running.pop(token, None)
            self._needed.discard(token)
            if not self._running:
                self.changed.emit("", 0.0, False)
            ended()

        def succeed(result: Any) -> None:
            if not (token.cancelled or self._closed):
                done(result)
            finish()

        def fail(text: str) -> None:
            if not self._closed:
                failed(text)
            finish()

        runnable.signals.progress.connect(tell)
        runnable.signals.done.connect(succeed)
        runnable.signals.failed.connect(fail)
        runnable.signals.ended.connect(finish)
        self._pool.start(runnable)
        return token

    @property
    def busy(self) -> bool:
        return bool(self._running)

    def cancel(self) -> None:
        """Cancel what the user started."""
        for token in self._running.keys() - self._needed:
            token.cancel()

    def close(self) -> None:
        """Cancel everything and wait until the threads are idle; what they still report is dropped."""
        self._closed = True
        for token in list(self._running):
            token.cancel()
        self._pool.waitForDone(10_000)


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
