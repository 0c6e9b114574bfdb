"""The weights of all regions as pictures, and the mask of the selected one after each of its steps."""

from even_palette.app.ledge.pictures import Listed, PictureRow
from even_palette.app.page import Page
from even_palette.app.session import Session
from even_palette.core.kit.model import Focus
from even_palette.core.regions.steps import STEPS, Join
from even_palette.core.results.looks import Look


class MasksPage(Page):
    """A click on a weight selects its region, one on a step chooses that."""

    tabs = ("Weights", "Steps")

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.weights = PictureRow(session, "Weights", weight_looks)
        self.weights.chosen.connect(self._choose_region)
        self.chain = PictureRow(session, "Chain of steps", lambda at: chain_looks(at, session.region))
        self.chain.chosen.connect(self._choose_step)
        for row in (self.weights, self.chain):
            session.shown_changed.connect(row.follow)
            self.addWidget(row)
        session.selection_changed.connect(self.chain.follow)
        for signal in (session.selection_changed, session.shown_changed):
            signal.connect(self.entered)

    def entered(self) -> None:
        """Mark the weight of the selected region, and its step that is chosen."""
        self.weights.mark(self.session.region)
        self.follow_step(self.session.view.state.step)

    def follow_step(self, number: int) -> None:
        """Mark the step that is chosen in the tray."""
        self.chain.mark(str(number + 1))

    def _choose_step(self, key: str, look: Look) -> None:
        self.step_chosen.emit(int(key) - 1)
        self.look_wanted.emit(look)

    def _choose_region(self, key: str, look: Look) -> None:
        self.session.select(key)
        self.look_wanted.emit(look)


def weight_looks(at: Focus) -> Listed:
    """The weights of a sheet's regions."""
    return [(region.key, region.name, Look("weight", region=region.key)) for region in at.sheet.regions]


SIGNS = {Join.ADD: "+", Join.SUBTRACT: "−", Join.INTERSECT: "∩", Join.STRONGEST: "∪", Join.REPLACE: "="}
"""The join of a source with what is before it."""


def chain_looks(at: Focus, region: str) -> Listed:
    """The mask of a region before its steps, and after each; a source has the sign of its join."""
    chosen = next((each for each in at.sheet.regions if each.key == region), None)
    if chosen is None:
        return []
    found: Listed = [("0", "Claims", Look("mask", region=region))]
    for number, step in enumerate(chosen.steps, 1):
        kind = STEPS[step.kind]
        sign = SIGNS[step.join] if kind.is_source else "→"
        told = kind.label if step.on else f"{kind.label} (off)"
        found.append((str(number), f"{sign} {told}", Look("mask", region=region, steps=number)))
    return found
