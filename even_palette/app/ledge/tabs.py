"""A row of buttons of which one is chosen: what the ledge shows of a stage."""

from collections.abc import Sequence

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QToolButton, QWidget


class Tabs(QWidget):
    """`chosen` gives the number of the one that was chosen."""

    chosen = pyqtSignal(int)

    def __init__(self, names: Sequence[str]) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        group = QButtonGroup(self)
        self.buttons = []
        for number, name in enumerate(names):
            button = QToolButton()
            button.setText(name)
            button.setCheckable(True)
            button.setProperty("role", "tab")
            button.clicked.connect(lambda _, number=number: self.chosen.emit(number))
            group.addButton(button)
            row.addWidget(button)
            self.buttons.append(button)
        self.buttons[0].setChecked(True)

    def choose(self, number: int) -> None:
        """Choose one, as a click does."""
        self.buttons[number].setChecked(True)
        self.chosen.emit(number)
