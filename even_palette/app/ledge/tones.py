"""What Tones needs to be wide: its planes as pictures, palettes, ramps, and the table of survival.

Pages are built when they are shown first, so that the window starts without them.
"""

from functools import cached_property
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QWidget

from even_palette.app.ledge.pictures import Listed, PictureRow
from even_palette.app.page import Page
from even_palette.app.session import Session
from even_palette.core.kit.model import Focus
from even_palette.core.results.looks import Look

if TYPE_CHECKING:
    from even_palette.app.ledge.palettes import PalettePage
    from even_palette.app.ledge.ramps import RampPage
    from even_palette.app.ledge.survival import SurvivalPage


class TonesPage(Page):
    """What is made of the paint, and the palettes and ramps of the kit."""

    tabs = ("Planes", "Palettes", "Ramps", "Survival")

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.planes = PictureRow(session, "Tones", tone_looks)
        self.planes.chosen.connect(self._choose)
        self.addWidget(self.planes)
        session.shown_changed.connect(self.planes.follow)
        session.shown_changed.connect(lambda: self.planes.mark(session.view.state.toning.tone))
        session.view.toning_changed.connect(lambda: self.planes.mark(session.view.state.toning.tone))

    @cached_property
    def palettes(self) -> "PalettePage":
        """The page of palettes."""
        from even_palette.app.ledge.palettes import PalettePage

        made = PalettePage(self.session)
        made.look_wanted.connect(self.look_wanted)
        self.addWidget(made)
        return made

    @cached_property
    def ramps(self) -> "RampPage":
        """The page of ramps."""
        from even_palette.app.ledge.ramps import RampPage

        made = RampPage(self.session)
        made.line_wanted.connect(self.line_wanted)
        self.addWidget(made)
        return made

    @cached_property
    def survival(self) -> "SurvivalPage":
        """The table of what is left of a picture."""
        from even_palette.app.ledge.survival import SurvivalPage

        made = SurvivalPage(self.session)
        made.shown.connect(self.pictures_wanted)
        self.addWidget(made)
        return made

    def show_tab(self, number: int) -> None:
        """Show planes, palettes, ramps or survival."""
        page: QWidget = getattr(self, ("planes", "palettes", "ramps", "survival")[number])
        self.setCurrentWidget(page)
        self.planes.mark(self.session.view.state.toning.tone)

    def _choose(self, key: str, look: Look) -> None:
        tone = next((each for each in self.session.at.sheet.tones if each.key == key), None)
        if tone is not None:
            fields = {"palette": tone.palette} if tone.palette else {}
            self.session.view.change_toning(tone=key, **fields)
        self.look_wanted.emit(look)


def tone_looks(at: Focus) -> Listed:
    """The paint, and what is made of it."""
    painted: Listed = [("as painted", "As painted", Look("source"))]
    return painted + [
        (
            tone.key,
            f"{tone.name}{' (under coats)' if tone.key == at.sheet.base_tone else ''}",
            Look("tone", map=tone.key),
        )
        for tone in at.sheet.tones
    ]
