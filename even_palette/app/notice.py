"""The notice: one sentence above the stand, with what can be done about it; never a dialog."""

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from even_palette.app import plain
from even_palette.app.jobs import one_shot

STAYS_MS = 12_000


class Notice(QWidget):
    """A line over the stand that tells what happened, with what can be done about it."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("notice")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(12, 4, 8, 4)
        self.text = plain.Label()
        self.text.setWordWrap(True)
        self.text.setAccessibleName("Notice")
        self._row.addWidget(self.text, 1)
        self._buttons: list[QPushButton] = []
        self._timer = one_shot(self, STAYS_MS, self.hide)
        self.hide()

    def tell(self, text: str, actions: dict[str, Callable[[], None]] | None = None) -> None:
        """Show a sentence; with actions it stays until one is chosen, otherwise it goes by itself."""
        for button in self._buttons:
            button.deleteLater()
        self._buttons = []
        self.text.setText(text)
        for name, act in {**(actions or {}), "Close": lambda: None}.items():
            button = QPushButton(name)
            button.clicked.connect(lambda _, act=act: self._choose(act))
            self._row.addWidget(button)
            self._buttons.append(button)
        self.show()
        if actions:
            self._timer.stop()
        else:
            self._timer.start()

    def _choose(self, act: Callable[[], None]) -> None:
        self.hide()
        act()
