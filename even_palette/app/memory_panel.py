"""The memory that is kept, over the window: who holds how much of it, and how much all of them may hold."""

from PyQt6.QtCore import QSettings, QSize, Qt, QTimer
from PyQt6.QtGui import QHideEvent, QShowEvent
from PyQt6.QtWidgets import QHeaderView, QSpinBox, QTreeWidget, QTreeWidgetItem, QVBoxLayout, QWidget

from even_palette.app.controls import label, row
from even_palette.app.panels import Overlay
from even_palette.core.memory import physical_memory
from even_palette.core.memory_account import ACCOUNT, LEAST_SHARE, MOST_SHARE

MIB = 1 << 20
LOOK_MS = 500
PANEL_PX = (520, 400)
ROW_PX = 24
SETTING = "memory"


def saved_share() -> float | None:
    """The share of the machine's memory that the user has set, 0..1; None for what is usual."""
    kept = QSettings("Even Palette", "window").value(SETTING)
    try:
        return min(max(float(kept), LEAST_SHARE), MOST_SHARE) if kept is not None else None
    except (TypeError, ValueError):
        return None


def take_saved_share() -> None:
    """Let the account have what the user has set."""
    if share := saved_share():
        ACCOUNT.take_share(share)


class MemoryPanel(Overlay):
    """Lists the holders of the account while it is seen, and sets its budget."""

    def __init__(self, window: QWidget) -> None:
        body = QWidget()
        super().__init__(window, "Memory", body, PANEL_PX)
        self.list = QTreeWidget()
        self.list.setAccessibleName("Who holds memory")
        self.list.setHeaderLabels(["Kept so that it is not made twice", "Holds", "Its own"])
        self.list.setRootIsDecorated(False)
        self.list.setSelectionMode(QTreeWidget.SelectionMode.NoSelection)
        head = self.list.header()
        assert head is not None
        head.setStretchLastSection(False)
        head.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        head_item = self.list.headerItem()
        assert head_item is not None
        for number in (1, 2):
            head_item.setTextAlignment(number, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.share = QSpinBox()
        self.share.setRange(round(LEAST_SHARE * 100), round(MOST_SHARE * 100))
        self.share.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        self.share.setSuffix(f" % of {physical_memory() / (1 << 30):.0f} GiB")
        self.share.setAccessibleName("Share of the machine's memory")
        self.share.setToolTip(
            "More lets large sheets be worked on without making things again; less leaves room for a game."
        )
        self.share.setKeyboardTracking(False)
        self.share.valueChanged.connect(self._set)
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 8, 0, 0)
        column.setSpacing(8)
        column.addWidget(label("What one does not use of its own, others may borrow.", "quiet"))
        column.addWidget(self.list, 1)
        column.addLayout(row(label("All together may hold"), self.share, stretch=0))
        body.setFocusProxy(self.share)
        self._clock = QTimer(self)
        self._clock.setInterval(LOOK_MS)
        self._clock.timeout.connect(self.refresh)

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.share.blockSignals(True)
        self.share.setValue(round(100 * ACCOUNT.budget / physical_memory()))
        self.share.blockSignals(False)
        self.refresh()
        self._clock.start()

    def hideEvent(self, event: QHideEvent | None) -> None:
        super().hideEvent(event)
        self._clock.stop()

    def refresh(self) -> None:
        """Show what is held now."""
        lines = [(line.label, line.held, line.own) for line in ACCOUNT.lines()]
        lines.append(("Together", sum(held for _, held, _ in lines), ACCOUNT.budget))
        while self.list.topLevelItemCount() < len(lines):
            self.list.addTopLevelItem(QTreeWidgetItem())
        while self.list.topLevelItemCount() > len(lines):
            self.list.takeTopLevelItem(0)
        for at, (told, held, own) in enumerate(lines):
            item = self.list.topLevelItem(at)
            assert item is not None
            item.setSizeHint(0, QSize(0, ROW_PX))
            for number, text in enumerate((told, f"{held / MIB:,.1f} MiB", f"{own / MIB:,.0f} MiB")):
                item.setText(number, text)
                if number:
                    item.setTextAlignment(number, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)

    def _set(self, percent: int) -> None:
        QSettings("Even Palette", "window").setValue(SETTING, percent / 100)
        ACCOUNT.take_share(percent / 100)
        self.refresh()
