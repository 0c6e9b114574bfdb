"""Tones: the planes that are made of the paint, palettes and ramps."""

from typing import Any

from even_palette.app.choosing import Choice
from even_palette.app.page import Page
from even_palette.app.panel import Panel
from even_palette.app.session import Session
from even_palette.app.stage import Click, Stage
from even_palette.app.stand.renderer import Renderer
from even_palette.core.kit.model import Focus
from even_palette.core.results.painting import Into


def panel(session: Session, renderer: Renderer, choice: Choice) -> Panel:
    """Its controls."""
    from even_palette.app.tray.tones import TonesPanel

    return TonesPanel(session)


def page(session: Session, panel: Any) -> Page:
    """Planes as pictures, palettes, ramps, and what survives."""
    from even_palette.app.ledge.tones import TonesPage

    return TonesPage(session)


def filled(at: Focus, panel: Any) -> bool:
    """Whether anything was made."""
    return bool(at.sheet.tones or at.kit.palettes or at.kit.ramps)


def clicked(click: Click) -> bool:
    """On an index map the entry there is chosen."""
    if click.entry is None:
        return False
    tone = click.at.sheet.tone(click.session.view.state.look.map)
    click.session.view.change_toning(tone=tone.key, palette=tone.palette, entry=click.entry)
    return True


def paints(session: Session) -> Into | None:
    """The tone that is chosen, if it is one to paint."""
    painted = [tone.key for tone in session.at.sheet.tones if tone.paint is not None]
    return Into(tone=session.tone) if session.tone in painted else None


def ready_to_paint(session: Session) -> str:
    """A tone to paint must be chosen."""
    return "" if paints(session) else "Choose a painted tone first, or add one with the plus."


STAGE = Stage("Tones", 4, panel, filled, page, "Tones", clicked=clicked, paints=paints, ready_to_paint=ready_to_paint)
