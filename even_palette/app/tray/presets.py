"""Which conditions all maps of the sheet in front have: presets of the trade, and those that the kit keeps."""

from collections.abc import Mapping

from msgspec.structs import replace
from PyQt6.QtWidgets import QHBoxLayout, QInputDialog, QWidget

from even_palette.app.controls import choice, offer, tool
from even_palette.app.session import Session
from even_palette.core.kit import commands
from even_palette.core.proof.conditions import PRESETS, Conditions, MapFacts, of_kinds


class PresetRow(QWidget):
    """The box of presets; what is set of single maps can be kept as one, and let go of."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._facts: Mapping[str, MapFacts] = {}
        self.box = choice("Conditions", [])
        self.box.setToolTip("What the runtime does to all maps, unless a map says otherwise")
        self.box.activated.connect(lambda i: self._take(self.box.itemData(i)))
        self.keep = tool("Keep these conditions", "plus", "Keep what the maps have under a name, for other sheets, too")
        self.keep.clicked.connect(self._ask_name)
        self.forget = tool("Forget these conditions", "trash", "Offer these conditions of your own no more")
        self.forget.clicked.connect(self._forget)
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(self.box, 1)
        line.addWidget(self.keep)
        line.addWidget(self.forget)

    @property
    def own(self) -> str:
        """The key of the kit's preset that the sheet follows, "" for none."""
        now = self._conditions
        found = (each.key for each in self.session.kit.presets if _same(each.conditions, now))
        return next(found, "")

    @property
    def told(self) -> str:
        """What the preset does."""
        conditions = self._conditions
        if self.own or not conditions.kinds:
            return "Kept in this kit." if self.own else PRESETS[conditions.preset].told
        return f"{PRESETS[conditions.preset].told} For {len(conditions.kinds)} kinds of maps otherwise."

    @property
    def _conditions(self) -> Conditions:
        return self.session.at.sheet.conditions

    def refresh(self, facts: Mapping[str, MapFacts]) -> None:
        """Show what there is, and what the sheet follows; `facts` are those of its maps."""
        self._facts = facts
        items = [(preset.label, ("", name)) for name, preset in PRESETS.items()]
        items += [(preset.name, ("own", preset.key)) for preset in self.session.kit.presets]
        own, conditions = self.own, self._conditions
        offer(self.box, items, ("own", own) if own else ("", conditions.preset))
        self.keep.setEnabled(bool(conditions.maps) or (bool(conditions.kinds) and not own))
        self.forget.setEnabled(bool(own))

    def _take(self, chosen: tuple[str, str]) -> None:
        kind, name = chosen
        found = next((each.conditions for each in self.session.kit.presets if each.key == name), Conditions())
        self._set(found if kind == "own" else Conditions(name))

    def _set(self, conditions: Conditions) -> None:
        held = replace(conditions, held=self._conditions.held)
        self.session.do(commands.set_conditions(self.session.at.key, held))
        self.session.end_merge()

    def _ask_name(self) -> None:
        name, agreed = QInputDialog.getText(self, "Keep conditions", "Name", text="My runtime")
        if agreed:
            self.keep_as(name)

    def keep_as(self, name: str) -> None:
        """Keep what the maps of the sheet have under a name; the sheet follows it."""
        kept = of_kinds(self._conditions, self._facts)
        if self.session.do(commands.add_preset(name, kept)):
            self._set(kept)

    def _forget(self) -> None:
        self.session.do(commands.remove_preset(self.own))
        self.session.end_merge()


def _same(preset: Conditions, now: Conditions) -> bool:
    return (preset.preset, preset.kinds) == (now.preset, now.kinds)
