"""What a runtime leaves of the sheet in front: the errors of its results, and what is left of index maps."""

from even_palette.app.ledge.asset import AssetPage
from even_palette.app.ledge.errors import ErrorTable
from even_palette.app.ledge.search import SearchPage
from even_palette.app.ledge.survival import SurvivalPage
from even_palette.app.page import Page
from even_palette.app.session import Session


class ProofPage(Page):
    """The table of errors; the maps of all sheets; the search; and the table of survival, whose rows show a picture and
    what is left of it.
    """

    tabs = ("Errors", "Maps", "Search", "Index maps")

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.errors = ErrorTable(session)
        self.errors.look_wanted.connect(self.look_wanted)
        self.errors.place_wanted.connect(self.place_wanted)
        self.asset = AssetPage(session)
        self.asset.look_wanted.connect(self.look_wanted)
        self.search = SearchPage(session)
        self.search.look_wanted.connect(self.look_wanted)
        self.survival = SurvivalPage(session)
        self.survival.shown.connect(self.pictures_wanted)
        self.addWidget(self.errors)
        self.addWidget(self.asset)
        self.addWidget(self.search)
        self.addWidget(self.survival)
