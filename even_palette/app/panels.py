"""Panels over the window: the list of findings, and texts such as keys, about and the log; Escape closes."""

from PyQt6.QtCore import QPoint, QRect, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QKeyEvent, QPixmap
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
TEXT_PX = (700, 520)
PREVIEW_PX = (276, 150)
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
        self.setGeometry(self.place())
        self.show()
        self.raise_()
        self.body.setFocus()

    def place(self) -> QRect:
        """Where it stands in the window."""
        width = min(self._size[0], self._window.width() - 60)
        height = min(self._size[1], self._window.height() - 60)
        return QRect(self._window.width() - width - 12, self._window.height() - height - 44, width, height)

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
    """The findings, over the tray, so that their places on the stand are seen.

    `chosen` gives the one whose place shall be shown, `mend_wanted` the one that shall be mended.
    """

    chosen = pyqtSignal(object)
    mend_wanted = pyqtSignal(object)

    def __init__(self, window: QWidget, tray: QWidget) -> None:
        self._tray = tray
        self.list = QListWidget()
        self.list.setAccessibleName("Findings")
        self.list.setWordWrap(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        body = QWidget()
        super().__init__(window, "Findings", body, (0, 0))
        body.setFocusProxy(self.list)
        self.finding: Finding | None = None
        self.before, self.after = QLabel(), QLabel()
        for picture, name in ((self.before, "Before the mend"), (self.after, "After the mend")):
            picture.setFixedSize(*PREVIEW_PX)
            picture.setAccessibleName(name)
            picture.setProperty("imageArea", True)
        self.mend = QPushButton("Mend")
        self.mend.clicked.connect(self._mend)
        self.trial = QWidget()
        below = QVBoxLayout(self.trial)
        below.setContentsMargins(0, 4, 0, 0)
        below.setSpacing(4)
        for widget in (QLabel("Before"), self.before, QLabel("After"), self.after, self.mend):
            below.addWidget(widget)
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.list, 1)
        column.addWidget(self.trial)
        self.trial.hide()
        self.list.itemActivated.connect(self._choose)
        self.list.itemClicked.connect(self._choose)

    def place(self) -> QRect:
        """As the tray stands."""
        return QRect(self._tray.mapTo(self._window, QPoint(0, 0)), self._tray.size())

    def show_findings(self, findings: list[Finding]) -> None:
        """List them, errors first."""
        self.list.clear()
        for finding in findings:
            mends = " · can be mended" if finding.mend else ""
            item = QListWidgetItem(f"{MARKS[finding.severity]} · {finding.stage}: {finding.text}{mends}")
            item.setData(Qt.ItemDataRole.UserRole, finding)
            self.list.addItem(item)
        if not findings:
            self.list.addItem("There are no findings.")
        chosen = self.finding
        again = [f for f in findings if chosen and (f.text, f.sheet) == (chosen.text, chosen.sheet)]
        if again and again[0].mend is not None:
            self.finding = again[0]  # what is looked at stays, with its pictures
            self.list.setCurrentRow(findings.index(again[0]))
        else:
            self._offer(None)

    def _choose(self, item: QListWidgetItem) -> None:
        finding = item.data(Qt.ItemDataRole.UserRole)
        self._offer(finding)
        if finding is not None:
            self.chosen.emit(finding)

    def _mend(self) -> None:
        if self.finding is not None:
            self.mend_wanted.emit(self.finding)

    def _offer(self, finding: Finding | None) -> None:
        """Show the mend of a finding, if it has one; its pictures come when they are made."""
        self.finding = finding
        mend = finding.mend if finding is not None else None
        self.trial.setVisible(mend is not None)
        for picture in (self.before, self.after):
            picture.clear()
        if mend is not None:
            self.mend.setText(mend.label)

    def show_trial(self, finding: Finding, before: QImage, after: QImage) -> None:
        """Show what the mend of a finding would change, if that is still the one that is chosen."""
        if self.finding is not None and (finding.text, finding.sheet) == (self.finding.text, self.finding.sheet):
            self.before.setPixmap(QPixmap.fromImage(before))
            self.after.setPixmap(QPixmap.fromImage(after))


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
