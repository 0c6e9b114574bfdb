"""The regions of a sheet as a table: what each is made of, and how much of the sheet it has."""

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget, QTableWidgetItem

from even_palette.app.controls import swatch_icon
from even_palette.app.jobs import Rank, one_shot
from even_palette.app.page import Page
from even_palette.app.session import Session
from even_palette.core.colour.hexcode import format_hex
from even_palette.core.jobs import CancelToken, Progress
from even_palette.core.results.id_map import has_masks
from even_palette.core.results.sheet_mesh import regions_of_faces
from even_palette.core.results.weights import weights_of

REST_MS = 150
COLUMNS = ("Region", "ID colour", "From the ID map", "Faces", "Boxes", "Steps", "Area of the sheet")


class AreaTable(QTableWidget):
    """A row a region. Choosing a row selects the region."""

    def __init__(self, session: Session) -> None:
        super().__init__(0, len(COLUMNS))
        self.session = session
        self.setAccessibleName("Regions with their elements and areas")
        self.setProperty("imageArea", True)
        self.setHorizontalHeaderLabels(list(COLUMNS))
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setShowGrid(False)
        self.setTabKeyNavigation(False)
        side, top = self.verticalHeader(), self.horizontalHeader()
        assert side is not None
        assert top is not None
        side.hide()
        top.setAccessibleName("Columns")
        side.setDefaultSectionSize(26)
        top.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        for column in range(len(COLUMNS)):
            head = self.horizontalHeaderItem(column)
            assert head is not None
            head.setTextAlignment(_side(column))
        self._shares: dict[str, tuple[float, int]] = {}
        self._rest = one_shot(self, REST_MS, self._measure)
        self.currentCellChanged.connect(lambda row, *_: self._select(row))

    def showEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().showEvent(event)
        self.follow()

    def follow(self) -> None:
        """Show the regions as they are now, if this can be seen; areas come from a worker."""
        if self.isVisible():
            self._show()
            self._rest.start(REST_MS if self._shares else 0)

    def _measure(self) -> None:
        at = self.session.shown
        if at is None or not self.isVisible() or not at.sheet.regions or not has_masks(at, self.session.sheets):
            return

        def work(progress: Progress, cancel: CancelToken) -> dict[str, tuple[float, int]]:
            areas = weights_of(at, self.session.sheets, cancel=cancel).areas
            labels = regions_of_faces(at, self.session.sheets)
            faces = np.bincount(labels[labels >= 0], minlength=len(areas))
            found = zip(areas, faces.tolist(), strict=True)
            return {region.key: shares for region, shares in zip(at.sheet.regions, found, strict=True)}

        def done(shares: dict[str, tuple[float, int]]) -> None:
            self._shares = shares
            self._show()

        self.session.jobs.run("Areas", work, done, self.session.notice.emit, rank=Rank.CHECK, place="areas")

    def _show(self) -> None:
        at = self.session.at
        self.blockSignals(True)
        self.setRowCount(len(at.sheet.regions))
        for row, region in enumerate(at.sheet.regions):
            area, faces = self._shares.get(region.key, (None, None))
            texts = (
                region.name,
                format_hex(region.id_colour),
                "yes" if region.keyed else "no",
                "…" if faces is None else f"{faces:,}",
                str(len(region.boxes)),
                str(len(region.steps)),
                "…" if area is None else f"{area:.2%}",
            )
            for column, text in enumerate(texts):
                item = QTableWidgetItem(text)
                item.setTextAlignment(_side(column))
                if column == 0:
                    item.setIcon(swatch_icon(region.id_colour))
                self.setItem(row, column, item)
        self.blockSignals(False)
        self.mark()

    def mark(self) -> None:
        """Make the selected region's row the current one."""
        keys = [region.key for region in self.session.at.sheet.regions[: self.rowCount()]]
        self.blockSignals(True)
        if self.session.region in keys:
            self.selectRow(keys.index(self.session.region))
        self.blockSignals(False)

    def _select(self, row: int) -> None:
        regions = self.session.at.sheet.regions
        if 0 <= row < len(regions):
            self.session.select(regions[row].key)


def _side(column: int) -> Qt.AlignmentFlag:
    """Numbers stand at the right, words at the left."""
    side = Qt.AlignmentFlag.AlignRight if column > 2 else Qt.AlignmentFlag.AlignLeft
    return side | Qt.AlignmentFlag.AlignVCenter


class AreasPage(Page):
    """The table of regions."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.areas = AreaTable(session)
        session.shown_changed.connect(self.areas.follow)
        session.selection_changed.connect(self.areas.mark)
        self.addWidget(self.areas)
