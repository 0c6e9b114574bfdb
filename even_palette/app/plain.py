"""Texts that are text: names come from files of others, and what looks like markup in them is shown as it stands."""

from PyQt6.QtCore import QSize, Qt, QUrl
from PyQt6.QtGui import QImage, QPainter, QPaintEvent
from PyQt6.QtWidgets import QLabel, QTextEdit, QWidget

JOINER = "\u2060"
"""A sign of no width that lines do not break at (Unicode, U+2060)."""


class Label(QLabel):
    """A label that shows its text as it stands."""

    def __init__(self, text: str = "", parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setText(text)


class FileName(Label):
    """The name of a file on one line; where there is no room for it, its middle is left out."""

    def __init__(self, text: str) -> None:
        super().__init__(text)
        self.setProperty("role", "section")

    def minimumSizeHint(self) -> QSize:
        return QSize(0, super().minimumSizeHint().height())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        fits = self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideMiddle, self.width())
        painter = QPainter(self)
        painter.drawText(self.rect(), Qt.AlignmentFlag.AlignVCenter, fits)


class Text(QTextEdit):
    """A text that is read; pictures and other files that it names are not looked for."""

    def __init__(self) -> None:
        super().__init__()
        self.setReadOnly(True)
        self.setAcceptRichText(False)

    def loadResource(self, kind: int, name: QUrl) -> QImage:
        return QImage(1, 1, QImage.Format.Format_ARGB32)  # where nothing is given, the toolkit opens the file itself


def tip(text: str) -> str:
    """A tip as it stands: the toolkit takes what looks like markup for it, so brackets are parted from their words."""
    return text.replace("<", f"<{JOINER}")


def item(text: str) -> str:
    """What a menu or a button shows as this text; a single “&” would underline the letter behind it."""
    return text.replace("&", "&&")
