"""Pictures of the scene that is chosen: as it is seen now, or over time while the view goes around."""

from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QPushButton

from even_palette.app.controls import Fold, choice, label
from even_palette.app.number import NumberRow

SIZES: list[tuple[str, object]] = [
    ("1280 × 720", (1280, 720)), ("1920 × 1080", (1920, 1080)), ("3840 × 2160", (3840, 2160)),
    ("1080 × 1080", (1080, 1080)),
]  # fmt: skip


class PicturesPart(Fold):
    """`wanted` gives a file and the fields of the pictures (see `gl/reviews.Shots`)."""

    wanted = pyqtSignal(object, dict)

    def __init__(self) -> None:
        super().__init__("Pictures")
        self.sizes = choice("Size of the pictures", SIZES)
        self.seconds = NumberRow("Seconds", 0, 60, "s", 1, "0 for one picture as it is seen now.")
        self.seconds.show_value(0.0)
        self.rate = NumberRow("Rate", 1, 60, "/s", 0, "Pictures a second.")
        self.rate.show_value(12.0)
        self.turns = NumberRow("Turns", -4, 4, "", 2, "How often the view goes around meanwhile; 1 for a turntable.")
        self.turns.show_value(0.0)
        self.told = label("", "quiet")
        self.write = QPushButton("Write …")
        self.write.setToolTip("From where the scene is seen now, lit or flat as there")
        self.write.clicked.connect(self._ask)
        for widget in (self.sizes, self.seconds, self.rate, self.turns, self.told, self.write):
            self.column.addWidget(widget)
        for number in (self.seconds, self.rate):
            number.changed.connect(lambda _: self._tell())
        self._tell()

    def _tell(self) -> None:
        over_time = self.seconds.value() > 0
        for number in (self.rate, self.turns):
            number.setVisible(over_time)
        count = max(1, round(self.seconds.value() * self.rate.value())) if over_time else 1
        self.told.setText(f"{count} pictures, numbered, or one animated WebP." if over_time else "One picture.")

    def _ask(self) -> None:
        kinds = "Pictures (*.png *.tif)" if self.seconds.value() == 0 else "Pictures (*.webp *.png)"
        usual = "scene.png" if self.seconds.value() == 0 else "scene.webp"
        name, _ = QFileDialog.getSaveFileName(self, "Write pictures of the scene", usual, kinds)
        if name:
            self.ask_for(Path(name))

    def ask_for(self, path: Path) -> None:
        """Ask for the pictures as they are set here."""
        width, height = self.sizes.currentData()
        self.wanted.emit(path, {"width": width, "height": height, "seconds": self.seconds.value(),
                                "rate": self.rate.value(), "turns": self.turns.value()})  # fmt: skip
