"""What a runtime makes of an index map: one table of ways and errors; a row shows its picture beside the source."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QPushButton,
    QSpinBox,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from even_palette.app.controls import label, result_table
from even_palette.app.session import Session
from even_palette.core.jobs import CancelToken, Progress
from even_palette.core.kit.sheet import Tone
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.results.index_survival import Survivor, verdict
from even_palette.core.results.picture_analysis import survival_of

COLUMNS = ("Way", "Stored", "Scale", "OKLab", "OKLab 95 %", "ΔE00", "ΔE00 95 %", "KiB")


class SurvivalPage(QWidget):
    """`shown` gives three planes and their names: source, what is left of it, and the difference."""

    shown = pyqtSignal(object, object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.found: list[Survivor] = []
        self.measure = QPushButton("Measure")
        self.measure.setToolTip("Measure the chosen index map, in the chosen row of its palette, against its picture")
        self.measure.clicked.connect(self.start)
        self.budget = QSpinBox()
        self.budget.setRange(1, 1 << 20)
        self.budget.setValue(1024)
        self.budget.setSuffix(" KiB")
        self.budget.setPrefix("Budget ")
        self.budget.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        self.budget.setAccessibleName("Budget of the texture")
        self.budget.valueChanged.connect(lambda _: self._tell())
        self.told = label("Choose an index map in the tray, then measure.", "quiet")
        self.table = result_table("Ways of showing the picture, with their errors", COLUMNS, "Columns of the ways")
        self.table.currentCellChanged.connect(lambda row, *_: self._show(row))
        head = QHBoxLayout()
        head.setSpacing(8)
        head.addWidget(self.measure)
        head.addWidget(self.budget)
        head.addWidget(self.told, 1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(8, 6, 8, 6)
        whole.setSpacing(6)
        whole.addLayout(head)
        whole.addWidget(self.table, 1)

    @property
    def tone(self) -> Tone | None:
        """The chosen index map, else the first one of the sheet."""
        tones = [tone for tone in self.session.at.sheet.tones if tone.kind == "index"]
        chosen = self.session.view.state.toning.tone
        return next((tone for tone in tones if tone.key == chosen), next(iter(tones), None))

    def start(self) -> None:
        """Measure on a worker."""
        at, tone = self.session.at, self.tone
        if tone is None or not tone.palette:
            self.session.notice.emit("There is no index map with a palette on this sheet; extract one in the tray.")
            return
        row = min(self.session.view.state.toning.row, len(at.kit.palette(tone.palette).rows) - 1)
        row = row if self.session.view.state.toning.palette in ("", tone.palette) else 0

        def work(progress: Progress, cancel: CancelToken) -> list[Survivor]:
            return survival_of(at, self.session.sheets, tone, row, progress, cancel)

        self.told.setText(f"Measuring {tone.name} …")
        self.session.jobs.run("Survival", work, self.show_found, self._failed, place="survival")

    def _failed(self, text: str) -> None:
        self.told.setText(text)

    def show_found(self, found: list[Survivor]) -> None:
        """Show what was measured."""
        self.found = found
        self.table.blockSignals(True)
        self.table.setRowCount(len(found))
        for number, each in enumerate(found):
            texts = (
                each.way.name, each.way.stored, f"{each.way.scale:g} ×",
                f"{each.oklab.mean:.2f}", f"{each.oklab.most:.2f}", f"{each.ciede2000.mean:.2f}",
                f"{each.ciede2000.most:.2f}", f"{each.texture_bytes / 1024:,.0f}",
            )  # fmt: skip
            for column, text in enumerate(texts):
                item = QTableWidgetItem(text)
                side = Qt.AlignmentFlag.AlignRight if column > 1 else Qt.AlignmentFlag.AlignLeft
                item.setTextAlignment(side | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(number, column, item)
        for column in range(len(COLUMNS)):
            head = self.table.horizontalHeaderItem(column)
            assert head is not None
            side = Qt.AlignmentFlag.AlignRight if column > 1 else Qt.AlignmentFlag.AlignLeft
            head.setTextAlignment(side | Qt.AlignmentFlag.AlignVCenter)
        self.table.blockSignals(False)
        self._tell()

    def _tell(self) -> None:
        if self.found:
            self.told.setText(verdict(self.found, self.budget.value() * 1024))

    def _show(self, number: int) -> None:
        if 0 <= number < len(self.found):
            each = self.found[number]
            names = (f"Source · {each.way.scale:g} ×", f"{each.way.name} · {each.way.stored}", "Difference × 10")
            pictures = (each.source, each.shown, each.difference())
            self.shown.emit(
                names,
                tuple(
                    Plane(p, e) for p, e in zip(pictures, (Encoding.SRGB, Encoding.SRGB, Encoding.DATA), strict=True)
                ),
            )
