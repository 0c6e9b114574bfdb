"""Where the program keeps what belongs to no kit (XDG Base Directory Specification)."""

import os
from pathlib import Path

import platformdirs


def state_folder() -> Path:
    """The folder of autosaves and of the log; `EVEN_PALETTE_STATE` names another."""
    return Path(os.environ.get("EVEN_PALETTE_STATE") or platformdirs.user_state_path("even-palette"))


def cache_home() -> Path:
    """The folder of what can be made anew (XDG Base Directory Specification); `EVEN_PALETTE_CACHE` names another."""
    return Path(os.environ.get("EVEN_PALETTE_CACHE") or platformdirs.user_cache_path("even-palette"))


def log_file() -> Path:
    """The file that holds what went wrong and what libraries print."""
    return state_folder() / "even-palette.log"
