"""What a stage of the work declares."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from even_palette.app.choosing import Choice
from even_palette.app.page import Page
from even_palette.app.panel import Panel
from even_palette.app.session import Session
from even_palette.app.stand.renderer import Renderer
from even_palette.app.view_state import Panes
from even_palette.core.kit.model import Focus, Kit
from even_palette.core.kit.sheet import Box
from even_palette.core.results.looks import Look
from even_palette.core.results.painting import Into

BOARD_PX = 272


@dataclass(frozen=True)
class Click:
    """A click on the sheet in a stage: its panel, the kit that is shown, where, and the palette's entry seen there."""

    session: Session
    panel: Any
    at: Focus
    u: float
    v: float
    entry: int | None


@dataclass(frozen=True)
class Stage:
    """A stage of the work. Functions that take its panel take the one that `panel` builds.

    The ledge has a page of its own with a `title` and a `height` in pixels, or the board.
    `look` is what the stand shows when the stage is entered, None for what it shows already; `spread` shows all
    variants; `panes` suit it. `filled` says whether there is something in it already; the panel is None until it is
    built. `chooses` says whether clicks choose elements of the mesh, `clicked` what a click on the sheet means beside
    selecting a region (True if it meant that), `boxed` what a box does that was drawn. `paints` is what strokes go
    into, None where the hand does not paint, and `ready_to_paint` sees to it that there is something, or tells what
    is missing; one that `edits_cells` is where the board's cells are edited. One that `shows_scenes` shows instances.
    """

    name: str
    place: int
    panel: Callable[[Session, Renderer, Choice], Panel]
    filled: Callable[[Focus, Any], bool]
    page: Callable[[Session, Any], Page] | None = None
    title: str = "Board"
    height: int = BOARD_PX
    look: Callable[[Session], Look | None] = lambda session: None
    spread: bool = False
    panes: Callable[[Kit], Panes | None] = lambda kit: None
    chooses: Callable[[Any], bool] = lambda panel: False
    clicked: Callable[[Click], bool] = lambda click: False
    boxed: Callable[[Any, Box], None] = lambda panel, box: None
    paints: Callable[[Session], Into | None] = lambda session: None
    ready_to_paint: Callable[[Session], str] = lambda session: ""
    edits_cells: bool = False
    shows_scenes: bool = False
