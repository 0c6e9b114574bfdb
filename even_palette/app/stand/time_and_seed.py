"""The moment that views show: a time, which may go on, and the instance whose seed materials take."""

import time
from dataclasses import replace

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from even_palette.app.view_state import View, ViewState
from even_palette.core.results.pictures import Picture

TICK_MS = 60
GOLDEN = 0.6180339887
"""Seeds by the golden ratio lie apart from each other, however many there are."""


class Moment(QObject):
    """Lets time go on, and goes from instance to instance. `changed` tells that the moment is another one."""

    changed = pyqtSignal()

    def __init__(self, view: View, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._view = view
        self._instance, self._last = 0, 0.0
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

    def _tick(self) -> None:
        now = time.monotonic()
        self._set(time=self._view.state.time + now - self._last)
        self._last = now

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


def at_moment(shown: Picture, state: ViewState) -> Picture:
    """A picture at the moment that is chosen."""
    return replace(shown, time=state.time, seed=state.seed)


def labelled(label: str, state: ViewState) -> str:
    """A label with the moment, where that is not the first one."""
    parts = [label, f"{state.time:.1f} s" if state.time else "", f"instance {state.seed:.3f}" if state.seed else ""]
    return " · ".join(part for part in parts if part)
