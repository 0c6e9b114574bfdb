"""The moment that views show: a time, which may go on, and the instance whose seed materials take."""

import time

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from even_palette.app.view_state import View

TICK_MS = 60
GOLDEN = 0.6180339887
"""Seeds by the golden ratio lie apart from each other, however many there are."""


class Moment(QObject):
    """Lets time go on, and goes from instance to instance. `changed` tells that the moment is another one, and
    `started` that time goes on or stops. At `end`, where there is one, it begins again."""

    changed = pyqtSignal()
    started = pyqtSignal(bool)

    def __init__(self, view: View, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._view = view
        self._instance, self._last = 0, 0.0
        self.end, self.speed = 0.0, 1.0
        self._timer = QTimer(self)
        self._timer.setInterval(TICK_MS)
        self._timer.timeout.connect(self._tick)

    @property
    def goes_on(self) -> bool:
        """Whether time goes on."""
        return self._timer.isActive()

    def let_go_on(self, on: bool) -> None:
        """Let time go on from where it is, or stop it."""
        self._last = time.monotonic()
        self._timer.start() if on else self._timer.stop()
        self.started.emit(on)

    def _tick(self) -> None:
        now = time.monotonic()
        later = self._view.state.time + (now - self._last) * self.speed
        self._set(time=later % self.end if self.end > 0 else later)
        self._last = now

    def go_to(self, seconds: float) -> None:
        """Show another time."""
        self._last = time.monotonic()
        self._set(time=max(seconds, 0.0))

    def next_instance(self) -> None:
        """Show the material as another instance has it."""
        self._instance += 1
        self._set(seed=self._instance * GOLDEN % 1)

    def begin_again(self) -> None:
        """The first instance at time 0."""
        self._instance = 0
        self._set(time=0.0, seed=0.0)

    def _set(self, **fields: float) -> None:
        self._view.change(quiet=True, **fields)
        self.changed.emit()
