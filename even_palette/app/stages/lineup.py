"""Lineup: the variants, what each inherits, and all of them beside each other."""

from typing import Any

from even_palette.app.choosing import Choice
from even_palette.app.page import Page
from even_palette.app.panel import Panel
from even_palette.app.session import Session
from even_palette.app.stage import Stage
from even_palette.app.stand.renderer import Renderer
from even_palette.core.kit.model import Focus


def panel(session: Session, renderer: Renderer, choice: Choice) -> Panel:
    """Its controls."""
    from even_palette.app.tray.lineup import LineupPanel

    return LineupPanel(session, renderer)


def page(session: Session, panel: Any) -> Page:
    """The board, and what goes over time."""
    from even_palette.app.ledge.over_time import LineupPage

    return LineupPage(session, panel)


def filled(at: Focus, panel: Any) -> bool:
    """Whether there are variants or scenes."""
    return bool(at.kit.variants or at.kit.scenes)


STAGE = Stage("Lineup", 6, panel, filled, page, spread=True, shows_scenes=True)
