"""What the program says at a terminal, and how it is called again."""

import os
import sys
from pathlib import Path
from typing import TextIO

from even_palette.core.errors import one_line

DONE, FINDINGS, REFUSED = 0, 1, 2
"""Exit codes: done; there are findings that are errors; wrong use, or input that cannot be read."""


def command(*words: str) -> list[str]:
    """The command line of this very program, for a process of its own; nothing is imported from the current folder."""
    return [sys.executable, "-P", str(Path(__file__).resolve().parent / "__main__.py"), *words]


def say(text: str) -> None:
    """One line on standard output. Where nobody reads it any more, this and all that follows is dropped."""
    try:
        print(one_line(text), flush=True)
    except BrokenPipeError:
        drop_output()


def drop_output() -> None:
    """Send standard output nowhere, so that the interpreter does not complain of what is left at its end."""
    nowhere = os.open(os.devnull, os.O_WRONLY)
    os.dup2(nowhere, 1)
    os.close(nowhere)


def tell(text: str, stream: TextIO | None = None) -> None:
    """One line on standard error, whatever the text holds."""
    print(f"even-palette: {one_line(text)}", file=stream or sys.stderr, flush=True)
