"""Starting the window."""

from __future__ import annotations

import gc
import os
import signal
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from even_palette.app.screen import require_screen
from even_palette.core.errors import UserError
from even_palette.core.log import log

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QApplication

    from even_palette.app.window import Window


MODEL_LATER_MS, DEMO_STAGE = 700, 4


def run_window(paths: list[Path]) -> int:
    """Open the window with a kit or maps, or empty."""
    app, window = _start()
    if paths:
        window.open_paths(paths)
    else:
        window.offer_unsaved()
    _show(app, window)
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
    window.enter_stage(DEMO_STAGE)


def start_demo() -> tuple[QApplication, Window]:
    """The window with the demo kit, shown."""
    app, window = _start(DEMO_STAGE)
    open_demo(window)
    _show(app, window)
    return app, window


def _start(stage: int = 0) -> tuple[QApplication, Window]:
    """The application and its window at a stage, not shown yet."""
    require_screen()
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # NumPy's own threads would wait busily beside ours
    gc.disable()  # what a start makes stays; looking through it again and again took a tenth of it
    try:
        from PyQt6.QtWidgets import QApplication
    except ImportError as error:
        raise UserError(f"Qt cannot start ({error}). ./run installs what it needs.") from error
    from even_palette.app import theme
    from even_palette.app.memory_panel import take_saved_share
    from even_palette.app.window import Window

    signal.signal(signal.SIGINT, signal.SIG_DFL)
    app = QApplication(sys.argv[:1])
    app.setApplicationName("Even Palette")
    theme.choose_scheme(app, theme.saved_scheme())
    take_saved_share()
    window = Window(stage)
    sys.excepthook = lambda kind, error, trace: report(window, error)
    gc.freeze()
    gc.enable()
    return app, window


def _show(app: QApplication, window: Window) -> None:
    from even_palette.app import theme

    theme.dress(app)
    window.show()


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
