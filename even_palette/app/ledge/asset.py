"""Where the memory goes: a row a map of all sheets, with its bytes and its share of the budget of the kit."""

from dataclasses import replace

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QDoubleSpinBox, QHeaderView, QTableWidgetItem, QVBoxLayout, QWidget

from even_palette.app.controls import NumberCell, label, result_table, row
from even_palette.app.jobs import Rank, one_shot
from even_palette.app.session import Session
from even_palette.core.disk.gate import size_text
from even_palette.core.jobs import CancelToken, Progress
from even_palette.core.kit import commands
from even_palette.core.kit.model import Kit
from even_palette.core.proof.conditions import PLAIN
from even_palette.core.results.looks import Look
from even_palette.core.results.proof_asset import Asset, MapSize, asset_of

COLUMNS = ("Map", "Sheet", "Format", "Size", "Levels", "KiB", "Share")
TEXTS = 3
"""So many of them are texts, which begin at the left."""
KIB, MIB = 1024, 1024 * 1024
REST_MS = 250


class AssetPage(QWidget):
    """Counted anew on a worker whenever something changed. A row goes to its sheet: `look_wanted` says what is seen."""

    look_wanted = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.found: Asset | None = None
        self._counted: Kit | None = None
        self.budget = QDoubleSpinBox()
        self.budget.setRange(0, 1 << 20)
        self.budget.setDecimals(1)
        self.budget.setPrefix("Budget ")
        self.budget.setSuffix(" MiB")
        self.budget.setSpecialValueText("No budget")
        self.budget.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        self.budget.setKeyboardTracking(False)
        self.budget.setAccessibleName("Budget of all textures")
        self.budget.setToolTip("How much all textures of the kit may take; a finding tells when they take more")
        self.budget.valueChanged.connect(lambda value: session.do(commands.set_budget(round(value * MIB))))
        self.told = label("", "quiet")
        self.table = result_table("Maps of all sheets", COLUMNS, "Columns of the maps")
        top = self.table.horizontalHeader()
        assert top is not None
        for number in range(len(COLUMNS)):
            cell = self.table.horizontalHeaderItem(number)
            assert cell is not None
            cell.setTextAlignment(_side(number))
            if number in (COLUMNS.index("Sheet"), COLUMNS.index("Size")):
                top.setSectionResizeMode(number, QHeaderView.ResizeMode.ResizeToContents)
        self.table.setSortingEnabled(True)
        self.table.sortByColumn(-1, Qt.SortOrder.DescendingOrder)
        self.table.cellClicked.connect(lambda line, _: self._go(line))
        self.table.itemActivated.connect(lambda item: self._go(item.row()))
        whole = QVBoxLayout(self)
        whole.setContentsMargins(8, 6, 8, 6)
        whole.setSpacing(6)
        whole.addLayout(row(self.budget, self.told, stretch=1))
        whole.addWidget(self.table, 1)
        self._rest = one_shot(self, REST_MS, self._count)
        session.shown_changed.connect(self.follow)

    def showEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().showEvent(event)
        self.follow()

    def follow(self) -> None:
        """Count anew if this can be seen and something is otherwise."""
        self.budget.blockSignals(True)
        self.budget.setValue(self.session.kit.budget_bytes / MIB)
        self.budget.blockSignals(False)
        if self.isVisible() and self.session.shown is not None and self.session.kit is not self._counted:
            self._rest.start()

    def _count(self) -> None:
        kit, sheets = self.session.kit, self.session.sheets
        if not self.isVisible():
            return
        self._counted = kit

        def work(progress: Progress, cancel: CancelToken) -> Asset:
            return asset_of(kit, sheets, progress, cancel)

        self.session.jobs.run("Maps", work, lambda found: self._show(kit, found), self.told.setText, rank=Rank.CHECK,
                              place="proof asset")  # fmt: skip

    def _show(self, kit: Kit, found: Asset) -> None:
        self.found = found = replace(found, maps=tuple(sorted(found.maps, key=lambda each: -each.bytes)))
        self.table.setSortingEnabled(False)
        self.table.setRowCount(len(found.maps))
        whole = kit.budget_bytes or found.bytes
        for line, each in enumerate(found.maps):
            form = "as it is" if each.conditions.format == PLAIN else each.conditions.format
            cells: list[tuple[str, float | None]] = [
                (each.label, None), (kit.sheet(each.sheet).name, None), (form, None),
                (_size(each), each.width * each.height * each.layers), (f"{each.levels}", each.levels),
                (f"{each.bytes / KIB:,.1f}", each.bytes),
                (f"{each.bytes / max(whole, 1):.1%}", each.bytes),
            ]  # fmt: skip
            for column, (text, value) in enumerate(cells):
                item: QTableWidgetItem = NumberCell(text, value)
                item.setData(Qt.ItemDataRole.UserRole, line)
                item.setTextAlignment(_side(column))
                self.table.setItem(line, column, item)
        self.table.setSortingEnabled(True)
        sheets = len({each.sheet for each in found.maps})
        of = f", {found.share(kit.budget_bytes):.0%} of the budget" if kit.budget_bytes else ""
        lacking = f" Not counted: {', '.join(kit.sheet(key).name for key in found.lacking)}." if found.lacking else ""
        self.told.setText(
            f"{sheets} sheets, {len(found.maps)} textures, {found.draws} draws, {size_text(found.bytes)}{of}.{lacking}"
        )

    def _go(self, line: int) -> None:
        item = self.table.item(line, 0)
        if item is None or self.found is None:
            return
        each = self.found.maps[item.data(Qt.ItemDataRole.UserRole)]
        if each.sheet != self.session.at.key:
            self.session.show_sheet(each.sheet)
        self.look_wanted.emit(Look("runtime", self.session.variant))


def _size(each: MapSize) -> str:
    layers = f" × {each.layers}" if each.layers > 1 else ""
    return f"{each.width} × {each.height}{layers}"


def _side(column: int) -> Qt.AlignmentFlag:
    return (
        Qt.AlignmentFlag.AlignLeft if column < TEXTS else Qt.AlignmentFlag.AlignRight
    ) | Qt.AlignmentFlag.AlignVCenter
