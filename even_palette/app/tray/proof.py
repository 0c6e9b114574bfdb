"""Stage 7, Proof: index maps to be measured, what weights cost in each packing, and where the player proves them."""

from msgspec.structs import replace
from PyQt6.QtCore import Qt, pyqtBoundSignal
from PyQt6.QtWidgets import QListWidgetItem, QPushButton

from even_palette.app.controls import ShortList, label
from even_palette.app.jobs import Rank
from even_palette.app.panel import Panel
from even_palette.app.session import Session
from even_palette.app.tray.packings import PACKINGS
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken, Progress
from even_palette.core.kit.model import Focus
from even_palette.core.regions.packing import Packing
from even_palette.core.results.id_map import has_masks
from even_palette.core.ship.costs import told_of


class ProofPanel(Panel):
    """What a runtime leaves of the material, as far as it is measured here."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Proof", "")
        self.index_maps = ShortList("Index maps", 84)
        self.index_maps.currentItemChanged.connect(lambda item, _: self._choose(item))
        self.none = label("There is no index map on this sheet; make one in Tones.", "quiet")
        self.costs = {packing: (label(name), label("", "quiet")) for packing, name in PACKINGS.items()}
        self.no_weights = label("There are no weights on this sheet yet.", "quiet")
        self._told_of: Focus | None = None
        self.play = QPushButton("Go to Ship")
        self.play.setToolTip("Ship the package there, and let the player draw it from its files alone")
        self.play.clicked.connect(lambda: self.stage_wanted.emit("Ship"))
        self.column.addWidget(label("Index maps", "section"))
        self.column.addWidget(label("Choose one, then measure below what is left of it.", "quiet"))
        self.column.addWidget(self.index_maps)
        self.column.addWidget(self.none)
        self.column.addWidget(label("Cost of the weights", "section"))
        self.column.addWidget(self.no_weights)
        for name, told in self.costs.values():
            self.column.addWidget(name)
            self.column.addWidget(told)
        self.column.addWidget(label("The package, played", "section"))
        self.column.addWidget(label("The player draws a package from its files alone; Ship compares both.", "quiet"))
        self.column.addWidget(self.play)
        self.column.addStretch(1)

    @property
    def followed(self) -> tuple[pyqtBoundSignal, ...]:
        return (self.session.shown_changed,)

    def refresh(self) -> None:
        tones = [tone for tone in self.session.at.sheet.tones if tone.palette]
        self.index_maps.blockSignals(True)
        self.index_maps.clear()
        for tone in tones:
            item = QListWidgetItem(tone.name)
            item.setData(Qt.ItemDataRole.UserRole, tone.key)
            self.index_maps.addItem(item)
            if tone.key == self.session.view.state.toning.tone:
                self.index_maps.setCurrentItem(item)
        self.index_maps.blockSignals(False)
        self.index_maps.setVisible(bool(tones))
        self.none.setVisible(not tones)
        self._tell_costs()

    def _choose(self, item: QListWidgetItem | None) -> None:
        if item is None:
            return
        tone = self.session.at.sheet.tone(item.data(Qt.ItemDataRole.UserRole))
        self.session.view.change_toning(tone=tone.key, palette=tone.palette)

    def _tell_costs(self) -> None:
        """Work out on a worker what each packing costs."""
        at, sheets = self.session.shown, self.session.sheets
        if at is None or at is self._told_of:
            return
        there = bool(at.sheet.regions) and has_masks(at, sheets)
        self._told_of = at
        self.no_weights.setVisible(not there)
        for labels in self.costs.values():
            for each in labels:
                each.setVisible(there)
        if not there:
            return

        def work(progress: Progress, cancel: CancelToken) -> dict[Packing, str]:
            found = {}
            for packing in PACKINGS:
                cancel.check()
                packed = at.kit.with_sheet(replace(at.sheet, packing=packing)).at(at.key)
                try:
                    found[packing] = told_of(packed, sheets)
                except UserError as error:
                    found[packing] = str(error)
            return found

        def done(found: dict[Packing, str]) -> None:
            for packing, told in found.items():
                self.costs[packing][1].setText(told)

        self.session.jobs.run("Costs", work, done, self.session.notice.emit, rank=Rank.CHECK, place="proof costs")
