"""The Help menu: keys, the documents that came with the program, memory, the log."""

import re
from collections.abc import Callable, Sequence
from functools import cached_property, partial
from pathlib import Path

from PyQt6.QtCore import QObject
from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import QMenu, QWidget

from even_palette import __version__
from even_palette.app.controls import add_action
from even_palette.app.jobs import Jobs
from even_palette.app.memory_panel import MemoryPanel
from even_palette.app.notice import Notice
from even_palette.app.panels import TextPanel
from even_palette.core.disk.gate import read_bytes
from even_palette.core.disk.places import log_file
from even_palette.core.errors import UserError

MOST_TEXT_BYTES = 4 << 20
LAST_LINES = 400
PICTURE = re.compile(r"!\[[^\]]*\]\([^)]*\)")
MOUSE_KEYS = (
    "Wheel\tZoom to the cursor",
    "Middle button\tPan; so does a drag with Space",
    "Drag on the model\tTurn it; with Ctrl, turn the light",
    "Arrows on the board\tGo from cell to cell",
    "Enter\tEdit the cell",
    "Delete\tReturn the cell to what it inherits",
    "Ctrl+C, Ctrl+V\tCopy and paste a cell; its handle fills others",
)


def about() -> str:
    """What this is."""
    return (
        f"Even Palette {__version__}\n\n"
        "Channel masks, palettes and parameterized materials for recolouring game assets.\n\n"
        "GPL-3.0-or-later. The typeface is Inter (SIL Open Font License), the icons are Phosphor (MIT)."
    )


def documents() -> list[tuple[str, Path]]:
    """The documents that came with the program, each with its title."""
    root = Path(__file__).resolve().parents[2]
    found = [root / "README.md", *sorted((root / "docs").glob("*.md"))]
    return [(path.stem.replace("_", " ").capitalize(), path) for path in found if path.is_file()]


def read_document(path: Path) -> str:
    """A document in Markdown, its pictures left out."""
    return PICTURE.sub("", read_bytes(path, MOST_TEXT_BYTES).decode("utf-8", "replace"))


def log_text() -> str:
    """The end of the log."""
    try:
        lines = read_bytes(log_file(), MOST_TEXT_BYTES).decode(errors="replace").splitlines()
    except UserError:
        return f"Nothing went wrong so far; the log would be {log_file()}."
    return "\n".join([f"{log_file()}", "", *lines[-LAST_LINES:]])


class Help(QObject):
    """Fills the menu, and shows what is asked for over the window. `menus` are those whose keys are listed."""

    def __init__(self, window: QWidget, menu: QMenu, menus: Sequence[QMenu], jobs: Jobs, notice: Notice) -> None:
        super().__init__(window)
        self._window, self._menus, self._jobs, self._notice = window, (*menus, menu), jobs, notice
        self.text_panel = TextPanel(window)
        add_action(menu, "Keys", "F1", self._show_keys)
        for title, path in documents():
            add_action(menu, title, "", partial(self._tell_read, title, partial(read_document, path), True))
        add_action(menu, "Memory", "", lambda: self.memory_panel.open())
        add_action(menu, "Log", "", lambda: self._tell_read("Log", log_text, False))
        add_action(menu, "About", "", lambda: self.text_panel.tell("About Even Palette", about()))

    @cached_property
    def memory_panel(self) -> MemoryPanel:
        """Who holds memory; built when it is asked for."""
        return MemoryPanel(self._window)

    def _show_keys(self) -> None:
        lines = []
        for each in self._menus:
            for action in each.actions():
                if not action.shortcut().isEmpty():
                    key = action.shortcut().toString(QKeySequence.SequenceFormat.NativeText)
                    lines.append(f"{key}\t{action.text().replace('&', '')}")
        self.text_panel.tell("Keys", "\n".join([*lines, "", *MOUSE_KEYS]))

    def _tell_read(self, title: str, read: Callable[[], str], markdown: bool) -> None:
        self._jobs.run(
            f"Reading {title}",
            lambda progress, cancel: read(),
            lambda text: self.text_panel.tell(title, text, markdown),
            self._notice.tell,
            place="help",
        )
