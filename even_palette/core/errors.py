"""The error that is meant for the person in front of the window."""

from collections.abc import Callable


class UserError(Exception):
    """One sentence in plain words: what happened, to which file or value, and what to do."""


class FileChanged(UserError):
    """A file is not what the kit knows any more; it has to be looked at again before anything is made of it."""

    def __init__(self, path: object) -> None:
        super().__init__(f"{path}: is not the file that the kit knows any more; it is read again.")


class NotReady(UserError):
    """A result is wanted where nothing may wait for it; `make` makes it, on another thread."""

    def __init__(self, name: object, make: Callable[[], object]) -> None:
        super().__init__("This is being made …")
        self.name, self.make = name, make


def one_line(text: str, most: int = 2000) -> str:
    """Text as one line for a terminal: line breaks and control codes, as names may hold, are shown escaped.

    >>> one_line("a\\nb\\x1b[31m")
    'a\\\\nb\\\\x1b[31m'
    """
    shown = "".join(c if c.isprintable() else c.encode("unicode_escape").decode("ascii") for c in text)
    return shown if len(shown) <= most else f"{shown[: most - 1]}…"
