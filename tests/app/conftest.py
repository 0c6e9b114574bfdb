"""The real window, driven by clicks and keys."""

import gc
from collections.abc import Callable, Iterator
from functools import lru_cache
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QEvent, QPoint, Qt
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QApplication, QWidget
from pytestqt.qtbot import QtBot

from even_palette.app import theme
from even_palette.app.following import Following
from even_palette.app.main import open_demo
from even_palette.app.window import Window
from even_palette.core.kit.history import History
from even_palette.core.kit.store import KitFolder
from even_palette.core.memory_account import ACCOUNT
from even_palette.core.results.sheets import Sheets


def pixels(image: QImage) -> np.ndarray:
    """The levels of an image, (h, w, 3) uint8."""
    image = image.convertToFormat(QImage.Format.Format_RGB888)
    bits = image.constBits()
    assert bits is not None
    rows = np.frombuffer(bits.asstring(image.sizeInBytes()), np.uint8).reshape(image.height(), image.bytesPerLine())
    return rows[:, : image.width() * 3].reshape(image.height(), image.width(), 3)


class Driver:
    """What a user does with the window."""

    def __init__(self, window: Window, qtbot: QtBot) -> None:
        self.window, self.qtbot = window, qtbot
        self.session, self.stand, self.tray, self.board = window.session, window.stand, window.tray, window.board

    def settle(self) -> None:
        """Wait until the views show the present kit and no job runs, all at one time."""

        def rests() -> bool:
            canvases = (self.stand.canvas, self.stand.model.canvas, self.window.centre.scene.canvas)
            busy = self.window.jobs.busy or any(canvas.pending for canvas in canvases)
            followed = not any(each.is_due for each in self.window.findChildren(Following))
            return self.session.settled and followed and not busy

        while True:
            self.qtbot.waitUntil(rests, timeout=60_000)
            QApplication.processEvents()  # what was told a moment ago reaches the views
            if rests():
                return

    def click(self, widget: QWidget) -> None:
        self.qtbot.mouseClick(widget, Qt.MouseButton.LeftButton)

    def click_sheet(self, u: float, v: float) -> None:
        at = self.stand.canvas.position_of((u, v)).toPoint()
        self.qtbot.mouseMove(self.stand.canvas, at)
        self.qtbot.mouseClick(self.stand.canvas, Qt.MouseButton.LeftButton, pos=at)

    def key(self, widget: QWidget, key: Qt.Key, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        self.qtbot.keyClick(widget, key, modifier)

    def type(self, widget: QWidget, text: str) -> None:
        widget.setFocus()
        widget.selectAll()  # type: ignore[attr-defined]
        self.qtbot.keyClicks(widget, text)
        self.key(widget, Qt.Key.Key_Return)

    def stage(self, number: int) -> None:
        self.click(self.window.rail.buttons[number - 1])

    def choose(self, box: QWidget, text: str) -> None:
        """Choose an item as the popup does."""
        index = box.findText(text, Qt.MatchFlag.MatchStartsWith)  # type: ignore[attr-defined]
        assert index >= 0, text
        box.setCurrentIndex(index)  # type: ignore[attr-defined]
        box.activated.emit(index)  # type: ignore[attr-defined]

    def drag(
        self, widget: QWidget, start: QPoint, end: QPoint, button: Qt.MouseButton = Qt.MouseButton.LeftButton
    ) -> None:
        from PyQt6.QtCore import QPointF
        from PyQt6.QtGui import QMouseEvent

        none = Qt.KeyboardModifier.NoModifier
        steps = [(QEvent.Type.MouseButtonPress, start, button), (QEvent.Type.MouseMove, end, Qt.MouseButton.NoButton),
                 (QEvent.Type.MouseButtonRelease, end, button)]  # fmt: skip
        for kind, at, which in steps:
            held = Qt.MouseButton.NoButton if kind == QEvent.Type.MouseButtonRelease else button
            spot = QPointF(at)
            QApplication.sendEvent(widget, QMouseEvent(kind, spot, QPointF(widget.mapToGlobal(at)), which, held, none))


@pytest.fixture
def make_window(qtbot: QtBot, qapp: object) -> Iterator[Callable[..., Driver]]:
    made: list[Window] = []
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    gc.collect()  # windows of the tests before go now, with all that they hold: each would be dressed again

    def make(sheets: Sheets | None = None) -> Driver:
        theme.apply_scheme(qapp, "day")  # type: ignore[arg-type]
        window = Window(sheets=sheets)
        qtbot.addWidget(window)
        window.show()
        made.append(window)
        return Driver(window, qtbot)

    yield make
    for window in made:
        window.close()


@pytest.fixture
def empty(make_window: Callable[[], Driver]) -> Driver:
    """The window without a kit."""
    return make_window()


@lru_cache(maxsize=1)
def demo_results() -> Sheets:
    """What follows from the demo kit, made once for all windows that show it; results are known by their content."""
    return Sheets()


@pytest.fixture
def demo(make_window: Callable[..., Driver]) -> Driver:
    """The window with the demo kit."""
    driver = make_window(demo_results())
    open_demo(driver.window)
    driver.settle()
    return driver


@pytest.fixture
def small(make_window: Callable[[], Driver], history: History, tmp_path: Path) -> Driver:
    """The window with a saved small kit of four regions and two variants."""
    folder = KitFolder.create(tmp_path / "kit")
    folder.save(history.kit)
    folder.close()
    driver = make_window()
    driver.window.open_paths([tmp_path / "kit"])
    driver.settle()
    return driver


@pytest.fixture
def budget() -> Iterator[int]:
    """The budget of the account of memory, which is given back what a test takes."""
    before = ACCOUNT.budget
    yield before
    ACCOUNT.budget = before
