"""A random walk over the window by clicks, keys and drags, with a watch on how long its thread is busy with one of them.

The watch takes the thread's own time, so that a busy machine does not count, without what OpenGL's calls take of it:
where the processor draws, the driver compiles on that thread.
"""

import random
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

from PyQt6.QtCore import QEvent, QEventLoop, QPoint, QPointF, Qt, QTimer
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSlider,
    QApplication,
    QComboBox,
    QLineEdit,
    QPushButton,
    QTabBar,
    QToolButton,
    QWidget,
)

from even_palette.app.window import Window
from even_palette.gl.model_view import ModelRenderer
from even_palette.gl.sheet_view import SheetRenderer

LEFT, MIDDLE, NONE = Qt.MouseButton.LeftButton, Qt.MouseButton.MiddleButton, Qt.MouseButton.NoButton
KINDS = (QAbstractButton, QComboBox, QTabBar, QAbstractSlider, QLineEdit, QAbstractItemView)
DRAWING = ((SheetRenderer, "begin"), (ModelRenderer, "render"), (ModelRenderer, "faces"))
DIALOGS = ("…", "open", "save", "ship", "browse", "export", "keep these", "keep this")
"""Buttons with these words open what a walk cannot go through."""


class Watch:
    """How long the thread was busy with each thing, its own seconds; OpenGL's are not among them."""

    def __init__(self) -> None:
        self.taken: list[tuple[float, str]] = []
        self._drawing = 0.0

    @contextmanager
    def on(self, what: str) -> Iterator[None]:
        """Measure what is done within."""
        started, drawn = time.thread_time(), self._drawing
        yield
        self.taken.append((time.thread_time() - started - (self._drawing - drawn), what))

    @contextmanager
    def without_drawing(self) -> Iterator[None]:
        """Take the calls of OpenGL out of what is measured."""
        before = [(kind, name, getattr(kind, name)) for kind, name in DRAWING]
        for kind, name, call in before:
            setattr(kind, name, self._aside(call))
        try:
            yield
        finally:
            for kind, name, call in before:
                setattr(kind, name, call)

    def _aside(self, call: Callable[..., Any]) -> Callable[..., Any]:
        def called(*arguments: Any, **named: Any) -> Any:
            started = time.thread_time()
            try:
                return call(*arguments, **named)
            finally:
                self._drawing += time.thread_time() - started

        return called

    @property
    def longest(self) -> tuple[float, str]:
        """The most seconds, and with what."""
        return max(self.taken, default=(0.0, ""))


class Walk:
    """Does at random what a hand could do in a window."""

    def __init__(self, window: Window, watch: Watch, seed: int) -> None:
        self.window, self.watch, self.rng = window, watch, random.Random(seed)
        self._round: list[int] = []

    def settle(self, most_s: float = 60.0) -> None:
        """Let the window come to rest."""
        ends, calm = time.monotonic() + most_s, 0
        beat = QTimer(interval=2)  # what is at work is not seen by events alone
        beat.start()
        while calm < 5 and time.monotonic() < ends:
            self.turn("at rest", QEventLoop.ProcessEventsFlag.WaitForMoreEvents)
            busy = not self.window.session.settled or self.window.jobs.busy or self.window.stand.pending
            calm = 0 if busy else calm + 1

    def turn(self, after: str, how: QEventLoop.ProcessEventsFlag = QEventLoop.ProcessEventsFlag.AllEvents) -> None:
        """One turn of the window's events."""
        with self.watch.on(f"events after: {after}"):
            QApplication.processEvents(how)
        for widget in (QApplication.activeModalWidget(), QApplication.activePopupWidget()):
            if widget is not None:
                widget.close()

    def step(self) -> str:
        """One thing at random, and the turns that follow; gives what it was."""
        chance, window = self.rng.random(), self.window
        if chance < 0.15:
            number = self._next_stage()
            return self._do(f"stage {number + 1}", lambda: QTest.mouseClick(window.rail.buttons[number], LEFT))
        if chance < 0.35:
            canvas = self.rng.choice([window.stand.canvas, window.stand.model.canvas])
            return self._do("drag", lambda: self._drag(canvas)) if canvas.isVisible() else ""
        seen = [widget for widget in window.findChildren(QWidget) if widget.isVisible() and widget.isEnabled()]
        widget = self.rng.choice([widget for widget in seen if isinstance(widget, KINDS)])
        return self._do(f"{type(widget).__name__} {widget.accessibleName()}".strip(), lambda: self._use(widget))

    def _next_stage(self) -> int:
        """Stages at random in rounds, so that a walk enters each before it enters one again."""
        if not self._round:
            self._round = list(range(len(self.window.rail.buttons)))
            self.rng.shuffle(self._round)
        return self._round.pop()

    def _do(self, what: str, act: Callable[[], object]) -> str:
        with self.watch.on(what):
            act()
        for _ in range(self.rng.randrange(1, 8)):
            self.turn(what)
        return what

    def _at(self, widget: QWidget) -> QPoint:
        return QPoint(self.rng.randrange(max(1, widget.width())), self.rng.randrange(max(1, widget.height())))

    def _drag(self, canvas: QWidget) -> None:
        start, button = self._at(canvas), self.rng.choice([LEFT, MIDDLE])
        end = start + QPoint(self.rng.randrange(-90, 90), self.rng.randrange(-60, 60))
        QTest.mousePress(canvas, button, pos=start)
        for part in (0.3, 0.6, 1.0):
            at = QPointF(start + (end - start) * part)
            place, modifier = QPointF(canvas.mapToGlobal(at)), Qt.KeyboardModifier.NoModifier
            QApplication.sendEvent(canvas, QMouseEvent(QEvent.Type.MouseMove, at, place, NONE, button, modifier))
        QTest.mouseRelease(canvas, button, pos=end)

    def _use(self, widget: QWidget) -> None:
        match widget:
            case QAbstractButton():
                menu = widget.menu() if isinstance(widget, QPushButton | QToolButton) else None
                told = f"{widget.text()} {widget.accessibleName()}".lower()
                if menu is None and not any(word in told for word in DIALOGS):
                    QTest.mouseClick(widget, LEFT)
            case QComboBox() if widget.count():
                widget.setCurrentIndex(self.rng.randrange(widget.count()))
                widget.activated.emit(widget.currentIndex())
            case QTabBar() if widget.count():
                QTest.mouseClick(widget, LEFT, pos=widget.tabRect(self.rng.randrange(widget.count())).center())
            case QAbstractSlider():
                QTest.mouseClick(widget, LEFT, pos=self._at(widget))
            case QLineEdit():
                QTest.keyClicks(widget, str(self.rng.randrange(100)))
                QTest.keyClick(widget, Qt.Key.Key_Return)
            case QAbstractItemView():
                viewport = widget.viewport()
                assert viewport is not None
                QTest.mouseClick(viewport, LEFT, pos=self._at(viewport))
