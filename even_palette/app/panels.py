"""Panels over the window: the list of findings, and texts such as keys, about and the log; Escape closes."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QTextEdit,
    QVBoxLayout,
    QWidget,
)

from even_palette.core.checks import Finding, Severity

MARKS = {Severity.ERROR: "■ Error", Severity.WARNING: "▲ Warning", Severity.NOTE: "● Note"}
FINDINGS_PX, TEXT_PX = (560, 320), (700, 520)
TAB_PX = 128


class Overlay(QFrame):
    """A titled panel in the lower right corner of the window."""

    def __init__(self, window: QWidget, title: str, body: QWidget, size: tuple[int, int]) -> None:
        super().__init__(window)
        self.setObjectName("overlay")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._window, self._size = window, size
        self.title = QLabel(title)
        self.title.setProperty("role", "title")
        self.body = body
        close = QPushButton("Close")
        close.clicked.connect(self.hide)
        head = QHBoxLayout()
        head.addWidget(self.title, 1)
        head.addWidget(close)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 10, 16, 16)
        column.addLayout(head)
        column.addWidget(body, 1)
        self.hide()

    def open(self) -> None:
        """Show it, and put the keyboard into it."""
        width = min(self._size[0], self._window.width() - 60)
        height = min(self._size[1], self._window.height() - 60)
        self.setGeometry(self._window.width() - width - 12, self._window.height() - height - 44, width, height)
        self.show()
        self.raise_()
        self.body.setFocus()

    def toggle(self) -> None:
        """Show it, or hide it."""
        self.hide() if self.isVisible() else self.open()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_Escape:
            self.hide()
        else:
            super().keyPressEvent(event)


class FindingsPanel(Overlay):
    """The findings; `chosen` gives the one whose place shall be shown."""

    chosen = pyqtSignal(object)

    def __init__(self, window: QWidget) -> None:
        self.list = QListWidget()
        self.list.setAccessibleName("Findings")
        self.list.setWordWrap(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        super().__init__(window, "Findings", self.list, FINDINGS_PX)
        self.list.itemActivated.connect(self._choose)
        self.list.itemClicked.connect(self._choose)

    def show_findings(self, findings: list[Finding]) -> None:
        """List them, errors first."""
        self.list.clear()
        for finding in findings:
            item = QListWidgetItem(f"{MARKS[finding.severity]} · {finding.stage}: {finding.text}")
            item.setData(Qt.ItemDataRole.UserRole, finding)
            self.list.addItem(item)
        if not findings:
            self.list.addItem("There are no findings.")

    def _choose(self, item: QListWidgetItem) -> None:
        finding = item.data(Qt.ItemDataRole.UserRole)
        if finding is not None:
            self.chosen.emit(finding)


class TextPanel(Overlay):
    """A text that can be read and copied."""

    def __init__(self, window: QWidget) -> None:
        self.text = QTextEdit()
        self.text.setReadOnly(True)
        self.text.setAccessibleName("Text")
        self.text.setTabStopDistance(TAB_PX)
        super().__init__(window, "", self.text, TEXT_PX)

    def tell(self, title: str, text: str, markdown: bool = False) -> None:
        """Show a text under a title."""
        self.title.setText(title)
        self.text.setMarkdown(text) if markdown else self.text.setPlainText(text)
        self.open()
