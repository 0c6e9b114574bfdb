"""A box to choose a look from."""

from collections.abc import Sequence

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox

from even_palette.core.results.looks import Look


class LookBox(QComboBox):
    """Looks by what they are called. `look_chosen` tells of one that the user chose.

    With `none` there is an entry of that name for no look of its own, which is None.
    """

    look_chosen = pyqtSignal(object)

    def __init__(self, name: str, none: str = "") -> None:
        super().__init__()
        self._first: list[tuple[str, Look | None]] = [(none, None)] if none else []
        self._looks: list[tuple[str, Look | None]] = []
        self._current: Look | None = None
        self.setAccessibleName(name)
        self.activated.connect(self._choose)

    def _choose(self, index: int) -> None:
        self._current = self.itemData(index)
        self.look_chosen.emit(self._current)

    def show_looks(self, looks: Sequence[tuple[str, Look]], current: Look | None) -> None:
        """Offer looks, of which one is the present one."""
        offered = [*self._first, *looks]
        if offered == self._looks and current == self._current:
            return
        self._looks, self._current = offered, current
        self.blockSignals(True)
        if [self.itemText(i) for i in range(self.count())] != [name for name, _ in offered]:
            self.clear()
            for name, look in offered:
                self.addItem(name, look)
        for index, (_, look) in enumerate(offered):
            self.setItemData(index, look)
            if look == current:
                self.setCurrentIndex(index)
        self.blockSignals(False)
