"""Proof: what a runtime leaves of the material, seen and measured."""

from typing import Any

from even_palette.app.choosing import Choice
from even_palette.app.page import Page
from even_palette.app.panel import Panel
from even_palette.app.session import Session
from even_palette.app.stage import Stage
from even_palette.app.stand.renderer import Renderer
from even_palette.core.kit.model import Focus
from even_palette.core.proof.conditions import Conditions
from even_palette.core.results.looks import Look


def panel(session: Session, renderer: Renderer, choice: Choice) -> Panel:
    """Its controls."""
    from even_palette.app.tray.proof import ProofPanel

    return ProofPanel(session)


def page(session: Session, panel: Any) -> Page:
    """The errors of results, and what is left of index maps."""
    from even_palette.app.ledge.proof import ProofPage

    return ProofPage(session)


def filled(at: Focus, panel: Any) -> bool:
    """Whether there are conditions, or an index map to measure."""
    return at.sheet.conditions != Conditions() or any(tone.palette for tone in at.sheet.tones)


STAGE = Stage("Proof", 7, panel, filled, page, "Errors", look=lambda session: Look("runtime", session.variant))
