"""Stage 7, Proof: what the runtime does to each map, what is left of index maps, what weights cost in each packing."""

from dataclasses import replace as look_from

from msgspec.structs import replace
from PyQt6.QtCore import Qt, pyqtBoundSignal
from PyQt6.QtWidgets import QListWidgetItem, QPushButton

from even_palette.app.controls import Fold, ShortList, choice, label, offer, row, show_choice
from even_palette.app.jobs import Rank
from even_palette.app.panel import Panel
from even_palette.app.session import Session
from even_palette.app.stand.spread import ANGLES, FAR
from even_palette.app.tray.conditions import ConditionsPart
from even_palette.app.tray.packings import PACKINGS
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken, Progress
from even_palette.core.kit.model import Focus
from even_palette.core.material.outputs import ALPHA, COLOUR, OUTPUTS
from even_palette.core.regions.packing import Packing
from even_palette.core.results.id_map import has_masks
from even_palette.core.results.looks import Look
from even_palette.core.results.looks.runtime import FROM_AFAR, LANES
from even_palette.core.results.proof import map_label
from even_palette.core.ship.costs import told_of

SEEN = {
    "As meant": (Look("runtime", meant=True), "The result as it is meant"),
    "Runtime": (Look("runtime"), "The result as the runtime has it, under the conditions below"),
    "Off × 4": (
        Look("runtime", steps=2),
        "How far it is off: OKLab distance × 4, white is 0.25 and more; other gains are in the box under the stand",
    ),
    "Shimmer": (
        Look("shimmer", steps=2),
        "How much each pixel changes as the sheet or the camera moves by half of one: OKLab distance × 4",
    ),
}
"""What is seen, with a tip."""
ALL = 0
DISTANCES = {1: "Close by"} | {far: f"{far} texels a pixel" for far in FAR[1:]} | {ALL: "All distances"}


def _plain(look: Look) -> Look:
    """What is seen, wherever from, and of which variant, output or map."""
    return Look(look.kind, steps=look.steps, meant=look.meant)


class ProofPanel(Panel):
    """What a runtime leaves of the material, as far as it is measured here."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Proof", "What a runtime leaves of the material: set, look, and read below.")
        self.conditions = ConditionsPart(session)
        self.looks: dict[str, QPushButton] = {}
        self._seen = Look("runtime")
        for seen, (look, tip) in SEEN.items():
            button = self.looks[seen] = QPushButton(seen)
            button.setToolTip(tip)
            button.setCheckable(True)
            button.clicked.connect(lambda _, look=look: self._look(look))
        self.index_maps = ShortList("Index maps", 84)
        self.index_maps.currentItemChanged.connect(lambda item, _: self._choose(item))
        self.none = label("There is no index map on this sheet; make one in Tones.", "quiet")
        self.costs = {packing: (label(name), label("", "quiet")) for packing, name in PACKINGS.items()}
        self.no_weights = label("There are no weights on this sheet yet.", "quiet")
        self._told_of: Focus | None = None
        self.play = QPushButton("Go to Ship")
        self.play.setToolTip("Ship the package there, and let the player draw it from its files alone")
        self.play.clicked.connect(lambda: self.stage_wanted.emit("Ship"))
        self.distance = choice("Distance", [(text, number) for number, text in DISTANCES.items()])
        self.distance.setToolTip("So many texels make one pixel there; each is shown magnified, as a square")
        self.distance.activated.connect(lambda i: self._look(self._seen))
        self.angle = choice("Angle", [(text, number) for number, text in ANGLES.items()])
        self.angle.setToolTip("The angle between the view and the surface: pixels cover more of it one way")
        self.angle.setMinimumContentsLength(8)
        self.angle.activated.connect(lambda i: self._look(self._seen))
        self.shown = choice("What of it", [])
        self.shown.setToolTip("An output of the material, or a map as the runtime samples it")
        self.shown.activated.connect(lambda _: self._show_other())
        self.lane = choice("Channel", [])
        self.lane.setMinimumContentsLength(8)
        self.lane.activated.connect(lambda i: self._look(self._seen))
        names = list(self.looks.values())
        self.column.addLayout(row(*names[:2]))
        self.column.addLayout(row(*names[2:]))
        self.column.addLayout(row(self.distance, self.angle, stretch=0))
        self.column.addLayout(row(self.shown, self.lane, stretch=0))
        self.column.addWidget(self.conditions)
        self.of_indices = Fold("Index maps")
        self.of_indices.column.addWidget(label("Choose one, then measure below what is left of it.", "quiet"))
        self.of_indices.column.addWidget(self.index_maps)
        self.of_indices.column.addWidget(self.none)
        self.column.addWidget(self.of_indices)
        self.of_weights = Fold("Cost of the weights")
        self.of_weights.column.addWidget(self.no_weights)
        for name, told in self.costs.values():
            self.of_weights.column.addWidget(name)
            self.of_weights.column.addWidget(told)
        self.column.addWidget(self.of_weights)
        played = Fold("The package, played")
        played.column.addWidget(label("The player draws a package from its files alone; Ship compares both.", "quiet"))
        played.column.addWidget(self.play)
        self.column.addWidget(played)
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
        if self.session.shown is not None and self.session.shown.key == self.session.at.key:
            self.conditions.refresh(self.session.shown)
            self._offer(self.session.shown)

    def _offer(self, at: Focus) -> None:
        """Offer the outputs and maps of a sheet, and the channels of what is chosen."""
        found = self.conditions.found
        if found is None:
            return
        look = self.session.view.state.look
        outputs = [(OUTPUTS[name].label, (name, "")) for name in found.outputs if name != ALPHA]
        maps = [(f"Map · {map_label(at, found, name)}", (COLOUR, name)) for name in found.names]
        offer(self.shown, [*outputs, *maps], (look.output, look.map) if look.kind in FROM_AFAR else (COLOUR, ""))
        self._offer_lanes(look.lane)
        if look.kind == "runtime" and (look.map or look.output) not in (*found.slots, *found.outputs):
            self._look(self._seen)

    def _offer_lanes(self, chosen: int) -> None:
        found, (output, slot) = self.conditions.found, self.shown.currentData() or (COLOUR, "")
        if found is None:
            return
        lanes, layers = len(OUTPUTS[output].default), 1
        if slot:
            lanes, layers = found.facts[slot].channels, found.facts[slot].layers
        names = [f"{n + 1} {lane}" if layers > 1 else lane for n in range(layers) for lane in LANES[:lanes]]
        offer(self.lane, [("All", 0), *((name, n) for n, name in enumerate(names, 1) if len(names) > 1)], chosen)

    def _show_other(self) -> None:
        """Show another output or map, all of its channels."""
        self._offer_lanes(0)
        self._look(self._seen)

    def follow_look(self, look: Look) -> None:
        seen = Look("runtime", meant=True) if look.kind == "result" else _plain(look)
        for name, button in self.looks.items():
            button.setChecked(seen == SEEN[name][0])
        if look.kind in (*FROM_AFAR, "result"):
            self._seen = seen
        show_choice(self.distance, ALL if self.session.view.state.spread_far else look.distance)
        show_choice(self.angle, look.slant)
        if look.kind in (*FROM_AFAR, "result"):
            show_choice(self.shown, (look.output, look.map))
            self._offer_lanes(look.lane)

    def _look(self, seen: Look) -> None:
        """Show one of SEEN, or another step of it, of the variant that is selected: what of it, and from where, the
        boxes say.

        What is on the other side of a wipe moves with it.
        """
        distance, view = self.distance.currentData(), self.session.view
        view.change(quiet=True, spread=distance == ALL, spread_far=distance == ALL)
        if view.state.wipe:
            view.change(quiet=True, other_look=self._from_there(view.state.other_look))
        self.look_wanted.emit(self._from_there(look_from(seen, variant=self.session.variant)))

    def _from_there(self, look: Look) -> Look:
        """A look from where the boxes say; what has no distance stays as it is, and close by the result is itself."""
        if look.kind == "result":
            look = Look("runtime", look.variant, meant=True)
        if look.kind not in FROM_AFAR:
            return look
        look = look_from(look, distance=max(self.distance.currentData(), 1), slant=self.angle.currentData())
        if look.kind == "runtime":
            output, slot = self.shown.currentData() or (COLOUR, "")
            look = look_from(look, output=output, map=slot, lane=self.lane.currentData() or 0)
        return Look(variant=look.variant) if look == Look("runtime", look.variant, meant=True) else look

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
