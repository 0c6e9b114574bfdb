"""Layouts of packed maps that the artist keeps under names: they belong to the person, not to a kit."""

import msgspec
from PyQt6.QtCore import QSettings

from even_palette.core.raster.layouts import Hold, Layout

SETTING = "layouts"
MOST_KEPT, MOST_NAME = 64, 60


def own_layouts() -> dict[str, Layout]:
    """The layouts by name, in the order in which they were kept; none where the settings hold something else."""
    kept = QSettings("Even Palette", "window").value(SETTING, "")
    try:
        return msgspec.json.decode(str(kept or "{}"), type=dict[str, tuple[Hold, ...]])
    except (msgspec.MsgspecError, UnicodeDecodeError):
        return {}


def keep_layout(name: str, layout: Layout) -> str:
    """Keep a layout under a name, in place of one of that name; the name as it is kept, "" for none."""
    name = " ".join(name.split())[:MOST_NAME]
    if name:
        kept = {**own_layouts(), name: layout}
        _write(dict(list(kept.items())[-MOST_KEPT:]))
    return name


def forget_layout(name: str) -> None:
    """Let go of a layout."""
    _write({other: layout for other, layout in own_layouts().items() if other != name})


def _write(kept: dict[str, Layout]) -> None:
    QSettings("Even Palette", "window").setValue(SETTING, msgspec.json.encode(kept).decode())
