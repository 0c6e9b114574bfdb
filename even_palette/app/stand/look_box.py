"""A box to choose a look from."""

from collections.abc import Sequence

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox

from even_palette.core.results.looks import Look


class LookBox(QComboBox):
    """Looks by what they are called. `look_chosen` tells of one that the user chose; None stands for no own look."""

    look_chosen = pyqtSignal(object)

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        self.activated.connect(lambda index: self.look_chosen.emit(self.itemData(index)))

    def show_looks(self, looks: Sequence[tuple[str, Look | None]], current: Look | None) -> None:
        """Offer looks, of which one is the present one."""
        self.blockSignals(True)
        if [self.itemText(i) for i in range(self.count())] != [name for name, _ in looks]:
            self.clear()
            for name, look in looks:
                self.addItem(name, look)
        for index, (_, look) in enumerate(looks):
            self.setItemData(index, look)
            if look == current:
                self.setCurrentIndex(index)
        self.blockSignals(False)
