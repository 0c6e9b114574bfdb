"""Regions: what the sheet is divided into, and where that comes from: elements, the ID map, bakes."""

from typing import Any

from even_palette.app.choosing import Choice
from even_palette.app.jobs import Rank
from even_palette.app.page import Page
from even_palette.app.panel import Panel
from even_palette.app.session import Session
from even_palette.app.stage import Click, Stage
from even_palette.app.stand.renderer import Renderer
from even_palette.app.view_state import Panes
from even_palette.core.colour.hexcode import Rgb8
from even_palette.core.jobs import CancelToken, Progress
from even_palette.core.kit.model import Focus, Kit
from even_palette.core.kit.sheet import Box
from even_palette.core.results.id_map import id_levels_of
from even_palette.core.results.looks import Look


def panel(session: Session, renderer: Renderer, choice: Choice) -> Panel:
    """Its controls."""
    from even_palette.app.tray.regions import RegionsPanel

    return RegionsPanel(session, choice)


def page(session: Session, panel: Any) -> Page:
    """The regions as a table."""
    from even_palette.app.ledge.areas import AreasPage

    return AreasPage(session)


def filled(at: Focus, panel: Any) -> bool:
    """Whether there is a region."""
    return bool(at.sheet.regions)


def panes(kit: Kit) -> Panes | None:
    """With a mesh the model is looked at, too."""
    return Panes.BOTH if any(not mesh.reference for mesh in kit.meshes) else None


def chooses(panel: Any) -> bool:
    """Clicks choose elements, except where ID colours are picked."""
    return bool(panel.tab != "ID map")


def clicked(click: Click) -> bool:
    """Choose the ID colour at a uv; a worker looks it up, as the map may have to be read again."""
    session, at = click.session, click.at

    def work(progress: Progress, cancel: CancelToken) -> Rgb8 | None:
        ids = id_levels_of(at, session.sheets)
        if ids is None:
            return None
        red, green, blue = map(int, ids.samples[int(click.v * ids.height), int(click.u * ids.width)][:3])
        return (red, green, blue)

    def done(found: Rgb8 | None) -> None:
        if found is not None:
            click.panel.ids.pick(found)

    session.jobs.run("Pick", work, done, session.notice.emit, rank=Rank.VIEW)
    return True


def boxed(panel: Any, box: Box) -> None:
    """A box that was drawn is the region's."""
    panel.elements.add_box(box)


STAGE = Stage(
    "Regions", 2, panel, filled, page, "Regions", 232, look=lambda session: Look("id_colours"), panes=panes,
    chooses=chooses, clicked=clicked, boxed=boxed,
)  # fmt: skip
