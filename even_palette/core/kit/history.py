"""Named undo and redo: the trees before and after the present one, within a budget of bytes."""

from collections.abc import Callable
from dataclasses import dataclass, replace

from even_palette.core.errors import UserError
from even_palette.core.kit.commands import Command
from even_palette.core.kit.model import Kit
from even_palette.core.kit.only_values import only_values_differ
from even_palette.core.kit.trees import paint_tiles
from even_palette.core.kit.validate import check_kit
from even_palette.core.regions.paint import PaintTile

BUDGET_BYTES = 256 << 20
STEP_BYTES, PART_BYTES = 400, 300
"""About what a step takes, and each part of a tree that it does not share with the next."""


@dataclass(frozen=True)
class _Past:
    """A step: the tree before it, or after it for one that was undone, and what only this tree has.

    Paint is packed some time after it was made, so its bytes are asked for anew.
    """

    label: str
    kit: Kit
    own_bytes: int
    paint: tuple[PaintTile, ...]

    @classmethod
    def of(cls, label: str, kit: Kit, other: Kit) -> "_Past":
        held = {id(tile) for tile in paint_tiles(other)}
        paint = tuple(tile for tile in paint_tiles(kit) if id(tile) not in held)
        return cls(label, kit, unshared_bytes(kit, other), paint)

    @property
    def bytes(self) -> int:
        return self.own_bytes + sum(PART_BYTES + tile.nbytes for tile in self.paint)


class History:
    """The present kit with the steps that led to it and those that were undone. Trees share their parts.

    What does not fit the budget goes from the far end; `dropped` is how many steps that were.
    """

    def __init__(self, kit: Kit, budget_bytes: int = BUDGET_BYTES) -> None:
        self.kit = kit
        self.dropped = 0
        self._budget = budget_bytes
        self._past: list[_Past] = []
        self._future: list[_Past] = []
        self._merge = ""
        self._folded = False

    def do(self, command: Command) -> bool:
        """Apply a command; False if it changed nothing. What it raises leaves the history as it was.

        Raises UserError for what is not there or was not chosen, and for a kit that would not hold together, whatever
        the command was given. Numbers and colours are checked by their commands, so that a drag costs no look at the
        whole.
        """
        try:
            after = command.apply(self.kit)
        except KeyError as error:
            missing = f"there is no {error}" if any(error.args) else "nothing is chosen for it"
            raise UserError(f"{command.label}: {missing}.") from None
        if after == self.kit:
            return False
        if not only_values_differ(self.kit, after):
            check_kit(after)
        self._folded = bool(command.merge and command.merge == self._merge and self._past)
        if not self._folded:
            self._past.append(_Past(command.label, self.kit, 0, ()))
        self._past[-1] = _Past.of(self._past[-1].label, self._past[-1].kit, after)
        self._future.clear()
        self.kit, self._merge = after, command.merge
        self._keep_to_budget()
        return True

    @property
    def in_drag(self) -> bool:
        """Whether the last command was folded into the one before, and the next one may be."""
        return self._folded and bool(self._merge)

    @property
    def bytes(self) -> int:
        """About what the steps take beside the present kit."""
        return sum(step.bytes for step in (*self._past, *self._future))

    def _keep_to_budget(self) -> None:
        spent, kept = 0, len(self._past)
        while kept and spent <= self._budget:
            spent += self._past[kept - 1].bytes
            kept -= 1
        if spent > self._budget:
            self.dropped += kept + 1
            del self._past[: kept + 1]

    def end_merge(self) -> None:
        """Let the next command be a step of its own, as at the end of a drag."""
        self._merge = ""

    @property
    def undo_labels(self) -> list[str]:
        """Labels of the steps that can be undone, the latest first."""
        return [step.label for step in reversed(self._past)]

    @property
    def redo_labels(self) -> list[str]:
        """Labels of the steps that can be redone, the next first."""
        return [step.label for step in reversed(self._future)]

    def undo(self) -> bool:
        """Go one step back; False if there is none."""
        return self._move(self._past, self._future)

    def redo(self) -> bool:
        """Do the step again that was undone last; False if there is none."""
        return self._move(self._future, self._past)

    def _move(self, source: "list[_Past]", target: "list[_Past]") -> bool:
        if not source:
            return False
        step = source.pop()
        target.append(_Past.of(step.label, self.kit, step.kit))
        self.kit, self._merge = step.kit, ""
        return True

    def rewrite(self, change: Callable[[Kit], Kit]) -> None:
        """Apply a change that is no step of the artist's, such as a map that changed on disk, to every tree."""
        self.kit = change(self.kit)
        self._past = [replace(step, kit=change(step.kit)) for step in self._past]
        self._future = [replace(step, kit=change(step.kit)) for step in self._future]


def unshared_bytes(one: Kit, other: Kit) -> int:
    """About the bytes of a tree that another one does not share with it, beside its paint."""
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
