"""How far the results of the sheet in front are off under its conditions: a row an output, a variant and a distance."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from even_palette.app.controls import NumberCell, choice, label, result_table
from even_palette.app.jobs import Rank, one_shot
from even_palette.app.session import Session
from even_palette.app.stand.spread import ANGLES
from even_palette.core.jobs import CancelToken, Progress
from even_palette.core.kit.model import Focus
from even_palette.core.material.outputs import COLOUR, OUTPUTS
from even_palette.core.results.looks import Look
from even_palette.core.results.proof import shipped
from even_palette.core.results.proof_errors import DISTANCES, ResultErrors, errors_of_results

COLUMNS = ("Result", "Variant", "Distance", "In", "Mean", "95 %", "99.9 %", "Worst", "OKLab", "at most", "Shimmer")
TIPS = (
    "What the material gives", "", "1 shows a texel a pixel; 4 is so far that four texels make one",
    "CIEDE2000 for light, degrees for normals, percent of the range for numbers", "", "Of 95 % of the texels", "", "",
    "OKLab distance × 100, the mean", "OKLab distance × 100, the worst",
    "How much pixels change as the sheet moves by half of one: OKLab distance × 100, the mean",
)  # fmt: skip
SHIMMER = COLUMNS.index("Shimmer")
REST_MS = 250
PLACE_TEXELS = 48


class ErrorTable(QWidget):
    """Measured anew on a worker whenever something changed. A row goes to its worst place: `look_wanted` gives what is
    to be seen, `place_wanted` the rectangle of uv.
    """

    look_wanted = pyqtSignal(object)
    place_wanted = pyqtSignal(float, float, float, float)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.found: list[ResultErrors] = []
        self.all_variants = False
        self._measured: object = None
        self.shown_of: object = None
        self.told = label("", "quiet")
        self.every = QPushButton("All variants")
        self.every.setCheckable(True)
        self.every.setToolTip("Measure every variant, not only the one that is selected; takes longer")
        self.every.clicked.connect(self._choose_all)
        self.angle = choice("Angle of the errors", [(text, slant) for slant, text in ANGLES.items()])
        self.angle.setToolTip("The angle between the view and the surface at which errors are measured")
        self.angle.activated.connect(lambda _: self.follow())
        self.table = result_table("Errors of results", COLUMNS, "Columns of the errors")
        self.table.setSortingEnabled(True)
        top = self.table.horizontalHeader()
        assert top is not None
        top.setSectionResizeMode(1, QHeaderView.ResizeMode.ResizeToContents)
        for number, tip in enumerate(TIPS):
            head = self.table.horizontalHeaderItem(number)
            assert head is not None
            head.setToolTip(tip)
            head.setTextAlignment(_side(number))
        self.table.sortByColumn(-1, Qt.SortOrder.AscendingOrder)
        self.table.cellClicked.connect(lambda line, _: self._go(line))
        self.table.itemActivated.connect(lambda item: self._go(item.row()))
        head_row = QHBoxLayout()
        head_row.setSpacing(8)
        head_row.addWidget(self.told, 1)
        head_row.addWidget(self.angle)
        head_row.addWidget(self.every)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(8, 6, 8, 6)
        whole.setSpacing(6)
        whole.addLayout(head_row)
        whole.addWidget(self.table, 1)
        self._rest = one_shot(self, REST_MS, self._measure)
        for signal in (session.shown_changed, session.selection_changed):
            signal.connect(self.follow)

    def showEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().showEvent(event)
        self.follow()

    def follow(self) -> None:
        """Measure anew if this can be seen and something is otherwise."""
        at = self.session.shown
        if self.isVisible() and at is not None and self._wanted(at) != self._measured:
            self._rest.start()

    def _wanted(self, at: Focus) -> tuple[object, ...]:
        return at, "" if self.all_variants else self.session.variant, self.all_variants, self.angle.currentData()

    def _choose_all(self, on: bool) -> None:
        self.all_variants = on
        self.follow()

    def _measure(self) -> None:
        at, sheets = self.session.shown, self.session.sheets
        if at is None or not self.isVisible():
            return
        self._measured = self._wanted(at)
        variants = list(at.kit.variant_names) if self.all_variants else [self.session.variant]
        slant = self.angle.currentData()
        self.told.setText("Measuring …")

        def work(progress: Progress, cancel: CancelToken) -> tuple[list[ResultErrors], tuple[int, int]]:
            found = errors_of_results(at, sheets, variants, None, DISTANCES, progress, cancel, slant)
            return found, shipped(at, sheets).finest

        self.session.jobs.run("Errors", work, lambda made: self._show(at, *made), self.told.setText, rank=Rank.CHECK,
                              place="proof errors")  # fmt: skip

    def _show(self, at: Focus, found: list[ResultErrors], size: tuple[int, int]) -> None:
        self.found, self._size, self.shown_of = found, size, self._measured
        self.table.setSortingEnabled(False)
        self.table.setRowCount(len(found))
        for line, each in enumerate(found):
            spread, oklab = each.spread, each.oklab
            cells: list[tuple[str, float | None]] = [
                (OUTPUTS[each.output].label, None), (at.kit.variant_names[each.variant], None),
                (f"{each.distance}", each.distance), (each.measure.value, None),
                *((f"{value:.2f}", value) for value in (spread.mean, spread.most, spread.nearly_all, spread.worst)),
                *((f"{part:.2f}", part) for part in ((oklab.mean, oklab.worst) if oklab else ())),
            ]  # fmt: skip
            if each.shimmer is not None:
                cells.append((f"{each.shimmer[0]:.2f}", each.shimmer[0]))
            for column in range(len(COLUMNS)):
                text, value = cells[column] if column < len(cells) else ("", -1.0)
                item = NumberCell(text, value)
                item.setData(Qt.ItemDataRole.UserRole, line)
                item.setTextAlignment(_side(column))
                if column == SHIMMER and each.shimmer is not None:
                    item.setToolTip(f"As it is meant: {each.shimmer[1]:.2f}")
                self.table.setItem(line, column, item)
        self.table.setSortingEnabled(True)
        worst = max((each for each in found if each.output == COLOUR), key=lambda each: each.spread.worst, default=None)
        self.told.setText(
            f"Colour is off by {worst.spread.mean:.1f} ΔE00 in the mean and {worst.spread.worst:.1f} at the worst, at "
            f"distance {worst.distance}. A click on a row goes to its worst place."
            if worst is not None and worst.spread.worst > 0
            else "Nothing is off: all is as it is meant."
        )

    def _go(self, line: int) -> None:
        item = self.table.item(line, 0)
        if item is None:
            return
        each = self.found[item.data(Qt.ItemDataRole.UserRole)]
        u, v = each.spread.place
        across, down = (PLACE_TEXELS / side / 2 for side in self._size)
        seen = Look("runtime", each.variant, output=each.output, distance=each.distance, slant=each.slant)
        self.look_wanted.emit(seen)
        self.place_wanted.emit(u - across, v - down, u + across, v + down)


def _side(column: int) -> Qt.AlignmentFlag:
    return (Qt.AlignmentFlag.AlignRight if column > 3 or column == 2 else Qt.AlignmentFlag.AlignLeft) | (
        Qt.AlignmentFlag.AlignVCenter
    )
