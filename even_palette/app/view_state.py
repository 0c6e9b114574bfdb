"""What is only looked at: it is no part of the kit, and no step of the history."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from enum import Enum, StrEnum
from typing import Any

from msgspec import structs
from PyQt6.QtCore import QObject, pyqtSignal

from even_palette.core.kit.coat_owners import Overcoats, SheetOwner
from even_palette.core.kit.commands import Cell
from even_palette.core.kit.instances import Pick
from even_palette.core.material.variants import MASTER
from even_palette.core.mesh.kinds import ElementKind
from even_palette.core.regions.brush import Brush
from even_palette.core.results.behind import Behind
from even_palette.core.results.fill import Limit
from even_palette.core.results.looks import Look

RESULT, SOURCE = Look(), Look("source")
ROUND = Brush()


class Panes(Enum):
    """Which panes are there."""

    SHEET = "Sheet"
    MODEL = "Model"
    BOTH = "Both"


class Tool(StrEnum):
    """What a left drag does in a pane where elements are selected."""

    CLICK = "click"
    BOX = "box"
    LASSO = "lasso"


class Hand(StrEnum):
    """What a left drag does in Masks: nothing of its own, or a kind of stroke."""

    LOOK = "look"
    PAINT = "paint"
    SOFTEN = "soften"
    SMEAR = "smear"
    FILL = "fill"


@dataclass(frozen=True)
class Painter:
    """How strokes are made: with which brush and what value, where they may go, and mirrored across which axis.

    `tolerance` 0..1 is for filling texels that are alike. On the model `seen` keeps strokes on what is in view. What
    is added to a region is taken from the others, if the painter `takes`.
    """

    hand: Hand = Hand.PAINT
    brush: Brush = ROUND
    value: float = 1.0
    limit: Limit = Limit.NONE
    tolerance: float = 0.08
    mirror: str = ""
    seen: bool = True
    takes: bool = True


@dataclass(frozen=True)
class Toning:
    """What is chosen in Tones: a tone, an entry of a palette's row, a stop of a ramp's row; by keys and numbers."""

    tone: str = ""
    palette: str = ""
    row: int = 0
    entry: int = 0
    ramp: str = ""
    ramp_row: int = 0
    stop: int = 0


@dataclass(frozen=True)
class ViewState:
    """All that the artist chose to look at and to work with.

    The stage, the sheet in front or a twin of it, and what is selected: a region or the overcoats, a variant, all the
    cells that are chosen with them, a copied cell. The panes; the look of the sheet pane and the other side of its
    wipe, and that of the model where it has one of its own; wipe and spread, which shows all variants or those of
    `spread_of`, or with `spread_far` what the runtime has from all distances. What clicks and drags choose on the mesh;
    the step of the mask whose values are shown, and how strokes are made; what is chosen in Tones; the time in seconds
    and the seed of the instance that are shown; what lies behind a sheet that shines through. In Lineup the scene, ""
    for variants, and which of its instances are picked. Chosen faces are Choice's.
    """

    stage: int = -1
    sheet: str = ""
    twin: str = ""
    region: str = ""
    over: bool = False
    variant: str = MASTER
    cells: tuple[tuple[SheetOwner, str], ...] = ()
    copied: Cell | None = None
    panes: Panes = Panes.SHEET
    panes_chosen: bool = False
    look: Look = RESULT
    other_look: Look = SOURCE
    model_look: Look | None = None
    wipe: bool = False
    spread: bool = False
    spread_of: tuple[str, ...] = ()
    spread_far: bool = False
    elements: ElementKind = ElementKind.SHELL
    tool: Tool = Tool.CLICK
    step: int = -1
    toning: Toning = Toning()
    painter: Painter = Painter()
    time: float = 0.0
    seed: float = 0.0
    behind: Behind = Behind.CHECKER
    scene: str = ""
    picks: tuple[Pick, ...] = ()

    @property
    def owner(self) -> SheetOwner:
        """Whose coats are selected: the region, or the overcoats of the sheet in front."""
        return Overcoats(self.sheet) if self.over else self.region


class View(QObject):
    """Holds the view state; `change` is the one place where it changes.

    `changed` tells of the selection alone, `painter_changed` of how strokes are made, `toning_changed` of Tones,
    `scene_changed` of what the lineup shows and what is picked there.
    """

    changed = pyqtSignal()
    painter_changed = pyqtSignal()
    toning_changed = pyqtSignal()
    scene_changed = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.state = ViewState()

    def change(self, quiet: bool = False, **fields: Any) -> None:
        """Replace fields of the state."""
        if all(getattr(self.state, name) == value for name, value in fields.items()):
            return
        before, self.state = self.state, replace(self.state, **fields)
        selected: Callable[[ViewState], object] = lambda state: (state.owner, state.variant, state.cells)  # noqa: E731
        if not quiet and selected(before) != selected(self.state):
            self.changed.emit()
        strokes: Callable[[ViewState], object] = lambda state: (  # noqa: E731
            state.painter, state.step, state.stage, state.toning.tone
        )  # fmt: skip
        if strokes(before) != strokes(self.state):
            self.painter_changed.emit()
        lineup: Callable[[ViewState], object] = lambda state: (state.scene, state.picks, state.stage)  # noqa: E731
        if lineup(before) != lineup(self.state):
            self.scene_changed.emit()

    def change_toning(self, **fields: Any) -> None:
        """Choose something in Tones."""
        before = self.state.toning
        self.change(quiet=True, toning=replace(before, **fields))
        if self.state.toning != before:
            self.toning_changed.emit()

    def change_painter(self, **fields: Any) -> None:
        """Set how strokes are made; fields of the brush go into the brush."""
        painter = self.state.painter
        of_brush = {name: value for name, value in fields.items() if name in painter.brush.__struct_fields__}
        own = {name: value for name, value in fields.items() if name not in of_brush}
        self.change(quiet=True, painter=replace(painter, brush=structs.replace(painter.brush, **of_brush), **own))
