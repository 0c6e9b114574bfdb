"""Named undo and redo: the trees before and after the present one, within a budget of bytes."""

from collections.abc import Callable
from itertools import pairwise

from even_palette.core.kit.commands import Command
from even_palette.core.kit.model import Kit

BUDGET_BYTES = 256 << 20
STEP_BYTES, PART_BYTES = 400, 300
"""About what a step takes, and each part of a tree that it does not share with the next."""


class History:
    """The present kit with the steps that led to it and those that were undone. Trees share their parts.

    What does not fit the budget goes from the far end; `dropped` is how many steps that were.
    """

    def __init__(self, kit: Kit, budget_bytes: int = BUDGET_BYTES) -> None:
        self.kit = kit
        self.dropped = 0
        self._budget = budget_bytes
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
        self._keep_to_budget()
        return True

    @property
    def bytes(self) -> int:
        """About what the steps take beside the present kit."""
        trees = [kit for _, kit in self._past] + [self.kit] + [kit for _, kit in reversed(self._future)]
        return sum(unshared_bytes(one, other) for one, other in pairwise(trees))

    def _keep_to_budget(self) -> None:
        if len(self._past) * STEP_BYTES < self._budget // 64 and not any(mesh.faces.packed for mesh in self.kit.meshes):
            return
        spent, kept, after = 0, len(self._past), self.kit
        while kept and spent <= self._budget:
            before = self._past[kept - 1][1]
            spent += unshared_bytes(before, after)
            after, kept = before, kept - 1
        if spent > self._budget:
            self.dropped += kept + 1
            del self._past[: kept + 1]

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
        """Go one step back; False if there is none."""
        return self._move(self._past, self._future)

    def redo(self) -> bool:
        """Do the step again that was undone last; False if there is none."""
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


def unshared_bytes(one: Kit, other: Kit) -> int:
    """About the bytes of a tree that another one does not share with it."""
    size = STEP_BYTES
    known = set(map(id, (*other.sheets, *other.meshes, *other.regions, *other.variants, *other.parameters)))
    size += PART_BYTES * sum(id(part) not in known for part in (*one.regions, *one.variants, *one.parameters))
    size += PART_BYTES * sum(id(sheet) not in known for sheet in one.sheets)
    packed = {id(mesh.faces.packed) for mesh in other.meshes}
    for mesh in one.meshes:
        if id(mesh) not in known:
            size += PART_BYTES + len(mesh.roots)
            size += len(mesh.faces.packed) if id(mesh.faces.packed) not in packed else 0
    return size
