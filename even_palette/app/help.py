"""Texts of the Help menu."""

import re
from pathlib import Path

from even_palette import __version__
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
