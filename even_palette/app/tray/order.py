"""Buttons that add to a list, order it and take away from it: coats, steps."""

from collections.abc import Callable, Iterable

from PyQt6.QtWidgets import QHBoxLayout

from even_palette.app.controls import row, tool
from even_palette.app.tray.add_list import AddList, Kind


class Order:
    """The four buttons; `layout` has them beside each other.

    `add` gets the name of the kind that was chosen in the list, `opens` is called when that opens and may give it
    pictures.
    """

    def __init__(
        self,
        noun: str,
        kinds: Iterable[Kind],
        add: Callable[[str], object],
        move: Callable[[int], object],
        remove: Callable[[], object],
        opens: Callable[[AddList], object] | None = None,
    ) -> None:
        self.add = tool(f"Add {noun}", "plus", f"Put a {noun} behind the others")
        self.earlier = tool(f"Move {noun} earlier", "arrow-up", f"Let this {noun} act earlier")
        self.later = tool(f"Move {noun} later", "arrow-down", f"Let this {noun} act later")
        self.remove = tool(f"Remove {noun}", "trash", f"Take this {noun} away")
        self.earlier.clicked.connect(lambda: move(-1))
        self.later.clicked.connect(lambda: move(1))
        self.remove.clicked.connect(lambda: remove())
        self.list = AddList(self.add, f"Kinds of {noun}s", kinds, add, opens is not None)
        self._opens = opens
        self.add.clicked.connect(self._open)

    def _open(self) -> None:
        if self._opens is not None:
            self._opens(self.list)
        self.list.open_below(self.add)

    def layout(self) -> QHBoxLayout:
        """The buttons in a row."""
        return row(self.add, self.earlier, self.later, self.remove)

    def follow(self, count: int, at: int, least: int = 0, can_add: bool = True) -> None:
        """Enable what can be done with the one at a place among so many, of which some have to stay."""
        self.add.setEnabled(can_add)
        self.earlier.setEnabled(0 < at < count)
        self.later.setEnabled(0 <= at < count - 1)
        self.remove.setEnabled(count > least)
