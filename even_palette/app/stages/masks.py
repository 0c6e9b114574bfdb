"""Masks: how the ID map is keyed, how overlaps are resolved, steps and strokes."""

from typing import Any

from even_palette.app.choosing import Choice
from even_palette.app.page import Page
from even_palette.app.panel import Panel
from even_palette.app.session import Session
from even_palette.app.stage import Stage
from even_palette.app.stand.renderer import Renderer
from even_palette.core.kit.model import Focus
from even_palette.core.raster.guess import Role
from even_palette.core.results.looks import Look


def panel(session: Session, renderer: Renderer, choice: Choice) -> Panel:
    """Its controls."""
    from even_palette.app.tray.masks import MasksPanel

    return MasksPanel(session)


def page(session: Session, panel: Any) -> Page:
    """Weights and steps as pictures."""
    from even_palette.app.ledge.masks import MasksPage

    return MasksPage(session)


def filled(at: Focus, panel: Any) -> bool:
    """Whether regions have something to be made of."""
    return bool(at.sheet.regions and (at.sheet.source(Role.ID) or at.kit.meshes))


STAGE = Stage(
    "Masks", 3, panel, filled, page, "Weights", 216, look=lambda session: Look("weight", region=session.region),
    paints=True,
)  # fmt: skip
