"""Ship: write the package, and prove it by the player."""

from typing import Any

from even_palette.app.choosing import Choice
from even_palette.app.page import Page
from even_palette.app.panel import Panel
from even_palette.app.session import Session
from even_palette.app.stage import Stage
from even_palette.app.stand.renderer import Renderer
from even_palette.core.kit.model import Focus
from even_palette.core.results.looks import Look


def panel(session: Session, renderer: Renderer, choice: Choice) -> Panel:
    """Its controls."""
    from even_palette.app.tray.ship import ShipPanel

    return ShipPanel(session, renderer)


def page(session: Session, panel: Any) -> Page:
    """The files of the package."""
    from even_palette.app.ledge.files import FilesPage

    return FilesPage(session, panel.files)


def filled(at: Focus, panel: Any) -> bool:
    """Whether a package was written."""
    return panel is not None and panel.shipped is not None


STAGE = Stage(
    "Ship", 8, panel, filled, page, "Files", 216, look=lambda session: Look(variant=session.variant),
)  # fmt: skip
