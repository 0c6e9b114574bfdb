"""The maps of a sheet as pictures."""

from even_palette.app.ledge.pictures import Listed, PictureRow
from even_palette.app.page import Page
from even_palette.app.session import Session
from even_palette.core.kit.model import Focus
from even_palette.core.raster.guess import Role
from even_palette.core.results.looks import Look


class MapsPage(Page):
    """A click on a map looks at it."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.maps = PictureRow(session, "Maps", map_looks)
        self.maps.chosen.connect(lambda _, look: self.look_wanted.emit(look))
        session.shown_changed.connect(self.maps.follow)
        self.addWidget(self.maps)

    def follow_look(self, look: Look) -> None:
        """Mark the map that the stand looks at."""
        base = self.session.at.sheet.source(Role.BASE_COLOUR)
        if look.kind in ("source", "channel"):
            self.maps.mark(look.map or (base.key if base else ""))


def map_looks(at: Focus) -> Listed:
    """The maps of a sheet."""
    found: Listed = []
    for source in at.sheet.sources:
        name = source.key.replace("_", " ") if source.role == Role.NONE else str(source.role)
        base = source.role == Role.BASE_COLOUR
        found.append((source.key, name[:1].upper() + name[1:], Look("source", map="" if base else source.key)))
    return found
