"""Named undo and redo: the trees before and after the present one."""

from collections.abc import Callable

from even_palette.core.kit.commands import Command
from even_palette.core.kit.model import Kit


class History:
    """The present kit with the steps that led to it and those that were undone. Trees share their parts."""

    def __init__(self, kit: Kit) -> None:
        self.kit = kit
        self._past: list[tuple[str, Kit]] = []
        self._future: list[tuple[str, Kit]] = []
        self._merge = ""

    def do(self, command: Command) -> bool:
        """Apply a command; False if it changed nothing. What it raises leaves the history as it was."""
        after = command.apply(self.kit)
        if after == self.kit:
            return False
        if not (command.merge and command.merge == self._merge):
            self._past.append((command.label, self.kit))
        self._future.clear()
        self.kit, self._merge = after, command.merge
        return True

    def end_merge(self) -> None:
        """Let the next command be a step of its own, as at the end of a drag."""
        self._merge = ""

    @property
    def undo_labels(self) -> list[str]:
        """Labels of the steps that can be undone, the latest first."""
        return [label for label, _ in reversed(self._past)]

    @property
    def redo_labels(self) -> list[str]:
        """Labels of the steps that can be redone, the next first."""
        return [label for label, _ in reversed(self._future)]

    def undo(self) -> bool:
        return self._move(self._past, self._future)

    def redo(self) -> bool:
        return self._move(self._future, self._past)

    def _move(self, source: list[tuple[str, Kit]], target: list[tuple[str, Kit]]) -> bool:
        if not source:
            return False
        label, kit = source.pop()
        target.append((label, self.kit))
        self.kit, self._merge = kit, ""
        return True

    def rewrite(self, change: Callable[[Kit], Kit]) -> None:
        """Apply a change that is no step of the artist's, such as a map that changed on disk, to every tree."""
        self.kit = change(self.kit)
        self._past = [(label, change(kit)) for label, kit in self._past]
        self._future = [(label, change(kit)) for label, kit in self._future]
