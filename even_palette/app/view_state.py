"""What is only looked at: it is no part of the kit, and no step of the history."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from even_palette.core.kit.commands import Cell
from even_palette.core.kit.model import OVER
from even_palette.core.material.variants import MASTER


@dataclass(frozen=True)
class ViewState:
    """Stage, sheet in front, and what is selected: a region or the overcoats, a variant, and a copied cell."""

    stage: int = -1
    sheet: str = ""
    region: str = ""
    over: bool = False
    variant: str = MASTER
    copied: Cell | None = None

    @property
    def owner(self) -> str:
        """Whose coats are selected: the region, or the overcoats of the sheet in front."""
        return OVER + self.sheet if self.over else self.region


class View(QObject):
    """Holds the view state; `change` is the one place where it changes. `changed` tells of the selection alone."""

    changed = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.state = ViewState()

    def change(self, quiet: bool = False, **fields: Any) -> None:
        """Replace fields of the state."""
        before, self.state = self.state, replace(self.state, **fields)
        selected: Callable[[ViewState], object] = lambda state: (state.owner, state.variant)  # noqa: E731
        if not quiet and selected(before) != selected(self.state):
            self.changed.emit()
