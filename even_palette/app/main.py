"""Starting the window."""

from __future__ import annotations

import gc
import os
import signal
import sys
from concurrent.futures import Future
from pathlib import Path
from threading import Thread
from typing import TYPE_CHECKING

from even_palette.app.screen import require_screen
from even_palette.core.errors import UserError
from even_palette.core.log import log

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QApplication

    from even_palette.app.window import Window
    from even_palette.core.results.sheets import Sheets


MODEL_LATER_MS = 700


class Ahead:
    """Makes what the views will need of a kit, while Qt starts and the window is built."""

    def __init__(self, place: Path) -> None:
        self._place = place
        self._made: Future[Sheets] = Future()
        Thread(target=self._work, name="ahead", daemon=True).start()

    def _work(self) -> None:
        try:
            from even_palette.core.kit.store import read_kit
            from even_palette.core.results.ready import make_ready
            from even_palette.core.results.sheets import Sheets

            sheets = Sheets()
            self._made.set_result(sheets)
            make_ready(read_kit(self._place).at(), sheets, opened=True)
        except Exception as error:
            # What is wrong with the kit is told where it is opened.
            log().info("Nothing was made ahead of the window: %s", error)
            if not self._made.done():
                self._made.set_exception(error)

    def sheets(self) -> Sheets:
        """What keeps the results, some of which are there already."""
        return self._made.result()


def run_window(paths: list[Path]) -> int:
    """Open the window with a kit or maps, or empty."""
    app, window = _start(paths[0] if paths else None)
    if paths:
        window.open_paths(paths)
    else:
        window.offer_unsaved()
    window.show()
    return _finish(app.exec(), window)


def run_demo() -> int:
    """Open the window with a copy of the demo kit; the shipped one is never written to."""
    from even_palette.app.jobs import one_shot
    from even_palette.app.view_state import Panes

    app, window = start_demo()
    # The model comes once the sheet is there, so that it does not delay the first picture.
    model_later = one_shot(window, MODEL_LATER_MS, lambda: window.stand.suggest_panes(Panes.BOTH))
    model_later.start()
    return _finish(app.exec(), window)


def open_demo(window: Window) -> None:
    """Show the demo kit in a window, as a kit that was not saved yet."""
    from even_palette.demo import KIT_FOLDER

    window.session.document.open_shipped(KIT_FOLDER)
    window.enter_stage(4)


def start_demo() -> tuple[QApplication, Window]:
    """The window with the demo kit, shown."""
    from even_palette.demo import KIT_FOLDER

    app, window = _start(KIT_FOLDER)
    open_demo(window)
    window.show()
    return app, window


def _start(kit: Path | None = None) -> tuple[QApplication, Window]:
    """The application and its window, not shown yet. What views need of a kit is made meanwhile."""
    require_screen()  # first: what is under way on a thread must not meet the end of the process
    gc.disable()  # what a start makes stays; looking through it again and again took a tenth of it
    ahead = Ahead(kit) if kit is not None else None
    try:
        from PyQt6.QtWidgets import QApplication
    except ImportError as error:
        raise UserError(f"Qt cannot start ({error}). ./run installs what it needs.") from error
    from even_palette.app import theme
    from even_palette.app.window import Window

    signal.signal(signal.SIGINT, signal.SIG_DFL)
    app = QApplication(sys.argv[:1])
    app.setApplicationName("Even Palette")
    theme.apply_scheme(app, theme.saved_scheme())
    window = Window(ahead.sheets() if ahead else None)
    sys.excepthook = lambda kind, error, trace: report(window, error)
    gc.freeze()
    gc.enable()
    return app, window


def _finish(code: int, window: Window) -> int:
    """Work that does not end in time must not hold the process; everything of the kit is on the disk by now."""
    if not window.jobs.idle:
        sys.stdout.flush()
        os._exit(code)
    return code


def report(window: Window, error: BaseException) -> None:
    """Tell of an error of the program and go on; Qt would end the process. Unsaved work is kept first."""
    log().error("An error of the program", exc_info=error)
    window.session.document.keep_now()
    told = " ".join(f"{type(error).__name__}: {error}".split())[:200]
    window.notice.tell(f"An error of the program ({told}). Your work was kept; please report it.")
