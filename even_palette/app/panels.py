"""Panels over the window: the list of findings, and texts such as keys, about and the log; Escape closes."""

from PyQt6.QtCore import QPoint, QRect, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QKeyEvent, QPixmap
from PyQt6.QtWidgets import (
    QComboBox,
    QFrame,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from even_palette.app import plain
from even_palette.core.checks import Finding, Mend, Severity

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
        self.title = plain.Label(title)
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

    `chosen` gives the one whose place shall be shown, `trial_wanted` one with the mend whose pictures are wanted,
    `mend_wanted` the mend that shall be done.
    """

    chosen = pyqtSignal(object)
    trial_wanted = pyqtSignal(object, object)
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
        self.ways = QComboBox()
        self.ways.setAccessibleName("How to mend it")
        self.ways.activated.connect(lambda _: self._try())
        self.before, self.after = plain.Label(), plain.Label()
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
        for widget in (self.ways, plain.Label("Before"), self.before, plain.Label("After"), self.after, self.mend):
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
            mends = " · can be mended" if finding.mends else ""
            item = QListWidgetItem(f"{MARKS[finding.severity]} · {finding.stage}: {finding.text}{mends}")
            item.setData(Qt.ItemDataRole.UserRole, finding)
            self.list.addItem(item)
        if not findings:
            self.list.addItem("There are no findings.")
        chosen = self.finding
        again = [f for f in findings if chosen and (f.text, f.sheet) == (chosen.text, chosen.sheet)]
        if again and [mend.label for mend in again[0].mends] == self._labels() != []:
            self.finding = again[0]  # what is looked at stays, with its pictures
            self.list.setCurrentRow(findings.index(again[0]))
        else:
            self._offer(None)

    def _choose(self, item: QListWidgetItem) -> None:
        finding = item.data(Qt.ItemDataRole.UserRole)
        self._offer(finding)
        if finding is not None:
            self.chosen.emit(finding)
            self._try()

    def _labels(self) -> list[str]:
        return [self.ways.itemText(number) for number in range(self.ways.count())]

    def _way(self) -> Mend | None:
        """The mend of the finding that is chosen now."""
        if self.finding is None or not self.finding.mends:
            return None
        return self.finding.mends[max(0, self.ways.currentIndex())]

    def _try(self) -> None:
        way = self._way()
        if way is not None:
            self.mend.setText(way.label)
            self.trial_wanted.emit(self.finding, way)

    def _mend(self) -> None:
        way = self._way()
        if way is not None:
            self.mend_wanted.emit(way)

    def _offer(self, finding: Finding | None) -> None:
        """Show the mends of a finding, if it has any; the pictures come when they are made."""
        self.finding = finding
        mends = finding.mends if finding is not None else ()
        self.ways.clear()
        self.ways.addItems([mend.label for mend in mends])
        self.ways.setVisible(len(mends) > 1)
        self.trial.setVisible(bool(mends))
        for picture in (self.before, self.after):
            picture.clear()

    def show_trial(self, finding: Finding, mend: Mend, before: QImage, after: QImage) -> None:
        """Show what a mend of a finding would change, if that is still the one that is chosen."""
        own, way = self.finding, self._way()
        if own is not None and way is not None and (finding.text, finding.sheet, mend.label) == (
            own.text, own.sheet, way.label
        ):  # fmt: skip
            self.before.setPixmap(QPixmap.fromImage(before))
            self.after.setPixmap(QPixmap.fromImage(after))


class TextPanel(Overlay):
    """A text that can be read and copied."""

    def __init__(self, window: QWidget) -> None:
        self.text = plain.Text()
        self.text.setAccessibleName("Text")
        self.text.setTabStopDistance(TAB_PX)
        super().__init__(window, "", self.text, TEXT_PX)

    def tell(self, title: str, text: str, markdown: bool = False) -> None:
        """Show a text under a title."""
        self.title.setText(title)
        self.text.setMarkdown(text) if markdown else self.text.setPlainText(text)
        self.open()
