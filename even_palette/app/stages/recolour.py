"""Recolour: the coats of the selected cell, their values and parameters."""

from typing import Any

from even_palette.app.choosing import Choice
from even_palette.app.panel import Panel
from even_palette.app.session import Session
from even_palette.app.stage import Stage
from even_palette.app.stand.renderer import Renderer
from even_palette.core.kit.coat_owners import coats_of
from even_palette.core.kit.model import Focus
from even_palette.core.results.looks import Look


def panel(session: Session, renderer: Renderer, choice: Choice) -> Panel:
    """Its controls."""
    from even_palette.app.tray.recolour import RecolourPanel

    return RecolourPanel(session)


def filled(at: Focus, panel: Any) -> bool:
    """Whether a coat is set to anything."""
    return any(coat.values for region in at.sheet.regions for coat in coats_of(at.kit, region.key))


STAGE = Stage(
    "Recolour", 5, panel, filled, look=lambda session: Look(variant=session.variant), edits_cells=True,
)  # fmt: skip
