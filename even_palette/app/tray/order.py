"""Buttons that add to a list, order it and take away from it: coats, steps."""

from collections.abc import Callable, Iterable
from functools import partial
from typing import Protocol, TypeVar

from PyQt6.QtWidgets import QHBoxLayout, QMenu

from even_palette.app import plain
from even_palette.app.controls import row, tool


class Kind(Protocol):
    """What can be added."""

    @property
    def label(self) -> str:
        """What it is called."""
        ...

    @property
    def help(self) -> str:
        """What it does, in a sentence."""
        ...


Some = TypeVar("Some", bound=Kind)


class Order:
    """The four buttons; `layout` has them beside each other. `add` gets the kind that was chosen in a menu."""

    def __init__(
        self,
        noun: str,
        kinds: Iterable[Some],
        add: Callable[[Some], object],
        move: Callable[[int], object],
        remove: Callable[[], object],
    ) -> None:
        self.add = tool(f"Add {noun}", "plus", f"Put a {noun} behind the others")
        self.earlier = tool(f"Move {noun} earlier", "arrow-up", f"Let this {noun} act earlier")
        self.later = tool(f"Move {noun} later", "arrow-down", f"Let this {noun} act later")
        self.remove = tool(f"Remove {noun}", "trash", f"Take this {noun} away")
        self.earlier.clicked.connect(lambda: move(-1))
        self.later.clicked.connect(lambda: move(1))
        self.remove.clicked.connect(lambda: remove())
        self.menu = QMenu(self.add)
        for kind in kinds:
            action = self.menu.addAction(kind.label)
            assert action is not None
            action.setToolTip(plain.tip(kind.help))
            action.triggered.connect(partial(lambda chosen, _: add(chosen), kind))
        self.add.clicked.connect(lambda: self.menu.popup(self.add.mapToGlobal(self.add.rect().bottomLeft())))

    def layout(self) -> QHBoxLayout:
        """The buttons in a row."""
        return row(self.add, self.earlier, self.later, self.remove)

    def follow(self, count: int, at: int, least: int = 0, can_add: bool = True) -> None:
        """Enable what can be done with the one at a place among so many, of which some have to stay."""
        self.add.setEnabled(can_add)
        self.earlier.setEnabled(0 < at < count)
        self.later.setEnabled(0 <= at < count - 1)
        self.remove.setEnabled(count > least)
