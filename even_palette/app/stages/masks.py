"""Masks: how the ID map is keyed, how overlaps are resolved, steps and strokes."""

from typing import Any

from even_palette.app.choosing import Choice
from even_palette.app.page import Page
from even_palette.app.panel import Panel
from even_palette.app.session import Session
from even_palette.app.stage import Stage
from even_palette.app.stand.renderer import Renderer
from even_palette.core.kit import commands
from even_palette.core.kit.model import Focus
from even_palette.core.raster.guess import Role
from even_palette.core.regions.steps import STEPS
from even_palette.core.results.looks import Look
from even_palette.core.results.painting import Into, paint_number


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


def paints(session: Session) -> Into | None:
    """The step of paint that is chosen in the region that is selected."""
    number = session.view.state.step
    region = session.chosen_region
    if region is None or not 0 <= number < len(region.steps) or not STEPS[region.steps[number].kind].is_paint:
        return None
    return Into(region.key, number)


def ready_to_paint(session: Session) -> str:
    """A region that has no paint yet gets a step for it."""
    region = session.chosen_region
    if region is None:
        return "Choose a region first; strokes are painted into its mask."
    if paints(session) is None:
        number = paint_number(region)
        if number == len(region.steps):
            session.do(commands.add_step(region.key, commands.fresh_paint()))
        session.view.change(quiet=True, step=number)
    return ""


STAGE = Stage(
    "Masks", 3, panel, filled, page, "Weights", 216, look=lambda session: Look("weight", region=session.region),
    paints=paints, ready_to_paint=ready_to_paint,
)  # fmt: skip
