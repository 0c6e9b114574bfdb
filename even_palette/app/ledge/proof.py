"""What is left of an index map, by the ways in which it may be stored and read."""

from even_palette.app.ledge.survival import SurvivalPage
from even_palette.app.page import Page
from even_palette.app.session import Session


class ProofPage(Page):
    """The table of survival; a row shows the picture, what is left of it, and the difference."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.survival = SurvivalPage(session)
        self.survival.shown.connect(self.pictures_wanted)
        self.addWidget(self.survival)
