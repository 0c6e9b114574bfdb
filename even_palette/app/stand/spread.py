"""What a spread shows beside each other: variants, or distances; and the menu that chooses variants."""

from dataclasses import replace

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QMenu, QWidget

from even_palette.app import plain
from even_palette.app.session import Session
from even_palette.app.view_state import ViewState
from even_palette.core.kit.model import Focus
from even_palette.core.results.looks import Look
from even_palette.core.results.looks.runtime import FROM_AFAR

FAR = (1, 2, 4, 8, 16, 32, 64)
"""Distances, in texels a pixel."""
ANGLES = {1: "Straight on", 2: "At 30°", 4: "At 14°", 8: "At 7°"}
"""By how many times as many texels a pixel covers down: 1 over the sine."""


def spread_of(state: ViewState, at: Focus) -> list[str]:
    """The variants that the spread shows, in their order."""
    chosen = [key for key in at.kit.variant_names if key in state.spread_of]
    return chosen or list(at.kit.variant_names)


def spread_looks(state: ViewState, at: Focus) -> list[tuple[str, Look]]:
    """The looks that the spread shows, with their labels.

    Each variant as the runtime has it, where that is looked at, else its result; or one look from all distances.
    """
    look = state.look
    if state.spread_far and look.kind in FROM_AFAR:
        return [(f"{far} texels a pixel" if far > 1 else "Close by", replace(look, distance=far)) for far in FAR]
    seen = look if look.kind in FROM_AFAR else Look()
    return [(at.kit.variant_names[key], replace(seen, variant=key)) for key in spread_of(state, at)]


class SpreadMenu(QMenu):
    """Each variant, checked where the spread shows it. `chosen` gives those that it shall show, none for all."""

    chosen = pyqtSignal(tuple)

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self.session = session
        self.aboutToShow.connect(self._fill)

    def _fill(self) -> None:
        self.clear()
        every = self.addAction("All variants")
        assert every is not None
        every.triggered.connect(lambda: self.chosen.emit(()))
        self.addSeparator()
        shown = self._now()
        for key, name in self.session.at.kit.variant_names.items():
            action = self.addAction(plain.item(name))
            assert action is not None
            action.setCheckable(True)
            action.setChecked(key in shown)
            action.triggered.connect(lambda on, key=key: self._with(key, on))

    def _with(self, variant: str, on: bool) -> None:
        """Show a variant in the spread, or not; the last one stays."""
        names, shown = self.session.at.kit.variant_names, self._now()
        shown = shown | {variant} if on else shown - {variant}
        self.chosen.emit(tuple(key for key in names if key in shown) or (variant,))

    def _now(self) -> set[str]:
        state = self.session.view.state
        return set(spread_of(state, self.session.at)) if state.spread or state.spread_of else set()
