"""Source: the sheets of the kit, their painted maps, and the meshes that lie on them."""

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
    from even_palette.app.tray.source import SourcePanel

    return SourcePanel(session)


def page(session: Session, panel: Any) -> Page:
    """The maps as pictures."""
    from even_palette.app.ledge.maps import MapsPage

    return MapsPage(session)


def filled(at: Focus, panel: Any) -> bool:
    """Whether there is a map or a mesh."""
    return bool(at.sheet.sources or at.kit.meshes)


STAGE = Stage(
    "Source", 1, panel, filled, page, "Maps", 216, look=lambda session: Look("source"),
)  # fmt: skip
