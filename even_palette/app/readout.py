"""The line at the bottom: what is under the cursor, job progress with cancel, and the count of findings."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QProgressBar, QPushButton, QWidget

from even_palette.app import plain
from even_palette.core.checks import Finding


class Readout(QWidget):
    """The line below everything: what is under the cursor, the job that runs, and the findings."""

    cancel_wanted = pyqtSignal()
    findings_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("readout")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 2, 12, 2)
        self.under_cursor = plain.Label("")
        self.under_cursor.setAccessibleName("Under the cursor")
        self.job = plain.Label("")
        self.bar = QProgressBar()
        self.bar.setFixedSize(140, 14)
        self.bar.setTextVisible(False)
        self.bar.setRange(0, 1000)
        self.cancel = QPushButton("Cancel")
        self.cancel.clicked.connect(self.cancel_wanted)
        self.findings = QPushButton("No findings")
        self.findings.setAccessibleName("Findings")
        self.findings.clicked.connect(self.findings_wanted)
        row.addWidget(self.under_cursor, 1)
        for widget in (self.job, self.bar, self.cancel, self.findings):
            row.addWidget(widget)
        self.setFixedHeight(34)
        self.show_job("", 0.0, False)

    def show_job(self, text: str, share: float, can_cancel: bool) -> None:
        """Show what runs and how far it is."""
        self.job.setText(text)
        self.bar.setValue(round(share * 1000))
        for widget in (self.job, self.bar):
            widget.setVisible(bool(text))
        self.cancel.setVisible(bool(text) and can_cancel)

    def show_findings(self, findings: list[Finding], known: bool) -> None:
        """Tell how many there are, if that is known; a click opens their list."""
        count = len(findings)
        none = "No findings" if known else "Checking …"
        self.findings.setText(none if not count else f"{count} finding{'s' if count > 1 else ''}")
