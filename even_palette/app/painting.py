"""Painting on the stand: strokes of the hand become paint, on the sheet and on the model.

A stroke is put on tiles as the hand moves and seen at once, laid over the picture; when the hand lifts it becomes one
step of the history, and the picture follows.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QObject, QPointF
from PyQt6.QtGui import QPolygonF

from even_palette.app.cursor import Here, point_at, texel_at
from even_palette.app.notice import Notice
from even_palette.app.session import Session
from even_palette.app.stage import Stage
from even_palette.app.stand.canvas import Canvas
from even_palette.app.stand.live_mask import LiveMask, corners_of, rim_on_model, rim_on_sheet
from even_palette.app.stand.model_canvas import ModelCanvas
from even_palette.app.stand.stand import Stand
from even_palette.app.stand.tiles import TileView
from even_palette.app.view_state import Hand, Painter
from even_palette.core.arrays import Bools, Floats
from even_palette.core.colour.hexcode import Rgb8
from even_palette.core.errors import NotReady, UserError
from even_palette.core.kit import commands
from even_palette.core.kit.model import Focus, Kit
from even_palette.core.regions.brush import LEAST_RADIUS, MOST_RADIUS, Path
from even_palette.core.regions.stroke import Effect, Rect
from even_palette.core.results.fill import KINDS, Limit, region_at, texels_like
from even_palette.core.results.footprints import surface_of
from even_palette.core.results.id_map import mask_size_of
from even_palette.core.results.looks import LOOKS
from even_palette.core.results.masks import mask_of
from even_palette.core.results.painting import (
    Allow,
    Into,
    StrokeStart,
    ground_of,
    inside,
    on_faces,
    paint_number,
    stamp_of,
    taken_from_others,
)
from even_palette.core.results.sheet_mesh import mesh_on_sheet

if TYPE_CHECKING:
    from even_palette.core.mesh.texels import SurfaceTexels
    from even_palette.core.regions.stroke import Stroke

WHEEL_STEP = 1.15
EFFECTS = {Hand.PAINT: Effect.VALUE, Hand.SOFTEN: Effect.SOFTEN, Hand.SMEAR: Effect.SMEAR}
AXES = ("x", "y", "z")
NO_REGION: Rgb8 = (255, 64, 160)
"""What strokes on a plane are seen in where no region is selected."""


@dataclass(frozen=True, eq=False)
class _Ready:
    """What strokes begin on: the kit, the paint and what lies under it, the mesh's texels, and the stamp."""

    at: Focus
    ground: StrokeStart
    surface: SurfaceTexels | None
    stamp: Floats | None


class Painting(QObject):
    """Takes the strokes of both panes while the stage that is entered has something that they go into."""

    def __init__(self, session: Session, stand: Stand, notice: Notice, stages: Sequence[Stage]) -> None:
        super().__init__(stand)
        self.session, self.stand, self.notice, self._stages = session, stand, notice, stages
        self._stroke: Stroke | None = None
        self._paths: list[Path] = []
        self._ground: StrokeStart | None = None
        self._kit: Kit | None = None
        self._trouble = ""
        self._live: LiveMask | None = None
        self._view: TileView | None = None
        self._ends: dict[int, tuple[float, ...]] = {}
        self._hovered: tuple[TileView, QPointF] | None = None
        session.changed.connect(self.follow)
        session.shown_changed.connect(self._shown)
        session.made.connect(self.follow)
        session.selection_changed.connect(self.follow)
        session.view.painter_changed.connect(self.follow)

    @property
    def _here(self) -> Here:
        return Here(self.session.at, self.session.sheets)

    @property
    def painter(self) -> Painter:
        """How strokes are made."""
        return self.session.view.state.painter

    @property
    def into(self) -> Into | None:
        """What strokes go into, by the stage that is entered."""
        return self._stages[self.session.view.state.stage].paints(self.session)

    @property
    def active(self) -> bool:
        """Whether a left drag on the stand paints."""
        return self.painter.hand != Hand.LOOK and self.into is not None

    def follow(self) -> None:
        """Have the panes give their strokes here, or not; and have what strokes need made ahead of the first one."""
        active = self.active
        for view in (self.stand.canvas, self.stand.model.canvas):
            view.strokes = self if active else None
            if not active:
                view.show_rings([])
        if active:
            self._ready(self.stand.model.canvas.isVisible())
            if self._hovered is not None:
                self.hover(*self._hovered)

    def _ready(self, on_model: bool) -> _Ready | None:
        """What a stroke begins on, once it is there; asking has it made."""
        at, painter, into = self.session.at, self.painter, self.into
        if into is None:
            return None
        sheets = self.session.sheets
        needed = on_model or painter.limit in KINDS

        def gather() -> _Ready:
            ground = ground_of(at, sheets, into)
            for other in at.sheet.regions if painter.takes and into.region else ():
                mask_of(at, sheets, other.key, paint_number(other))
            surface = surface_of(at, sheets, ground.under.width, ground.under.height) if needed else None
            name = painter.brush.stamp
            stamp = sheets.cache.get(("stamp", name), lambda: stamp_of(name)) if name else None
            return _Ready(at, ground, surface, stamp)

        self._trouble = "What strokes lie on is being made ready; it takes a moment."
        try:
            return gather()
        except NotReady as missing:
            told = self.session.results.make(NotReady(("strokes", into, needed, missing.name), gather))
            self._trouble = told or self._trouble
        except UserError as error:
            self._trouble = str(error)
        return None

    # Strokes

    def begin(self, view: TileView, at: QPointF, pressure: float, straight: bool) -> None:
        """The hand came down. With `straight` a line leads here from where the last stroke ended."""
        if len(view.tiles) != 1 or view.tiles[0].other is not None:
            self.notice.tell("Painting needs one picture in the pane; switch spread and wipe off.")
            return
        on_model = isinstance(view, ModelCanvas)
        found = self._ready(on_model)
        if found is None:
            self.notice.tell(self._trouble)
            return
        focus, ground, surface = found.at, found.ground, found.surface
        point = point_at(self._here, view, at)
        if point is None:
            return
        painter = self.painter
        if painter.hand == Hand.FILL:
            self._fill(focus, ground, view, at)
            return
        stamp = found.stamp
        limits = self._limits(focus, surface, view, at)
        self._stroke = ground.stroke(
            painter.brush, painter.value, EFFECTS[painter.hand], stamp, limits, surface if on_model else None
        )
        scale = surface.texel if on_model and surface is not None else 1.0
        count = 2 if on_model and painter.mirror in AXES else 1
        self._paths = [Path(painter.brush, scale) for _ in range(count)]
        self._ground, self._view, self._kit = ground, view, focus.kit
        self._live = LiveMask(view.field(0), self._tint(ground))
        last = self._ends.get(len(point))
        if straight and last is not None:
            self._extend(last, pressure)
        self._extend(point, pressure)

    def go_on(self, view: TileView, at: QPointF, pressure: float) -> None:
        """The hand moved."""
        point = point_at(self._here, view, at)
        if self._stroke is not None and point is not None:
            self._extend(point, pressure)

    def _extend(self, point: tuple[float, ...], pressure: float) -> None:
        stroke = self._stroke
        assert stroke is not None
        self._ends[len(point)] = point
        touched: list[Rect] = []
        if self._paths[0].restarts and point != self._paths[0].last:
            touched += stroke.touched()
            stroke.restart()
        for number, path in enumerate(self._paths):
            axis = AXES.index(self.painter.mirror) if number else -1
            mine = tuple(-c if i == axis else c for i, c in enumerate(point))
            touched += stroke.put(path.extend(mine, pressure))
        self._show(touched)

    def end(self, view: TileView) -> None:
        """The hand lifted: the stroke is a step of the history, and kept on the disk by a worker."""
        stroke, ground, self._stroke = self._stroke, self._ground, None
        if stroke is None or ground is None:
            return
        names = {Hand.SOFTEN: "Soften mask", Hand.SMEAR: "Smear mask"}
        label = names.get(self.painter.hand, "Paint" if self.painter.value > 0 else "Take away")
        if self.session.kit is not self._kit:
            self.notice.tell("The kit changed while the brush was down; that stroke was dropped.")
            view.end_live(at_once=True)
            return
        at, takes = self.session.at, self._takes(ground, stroke)
        try:
            others = taken_from_others(at, self.session.sheets, ground.region, stroke) if takes else {}
        except NotReady:
            others = {}
            self.notice.tell("The masks of other regions are still made; the stroke was not taken from them.")
        if not self.session.do(ground.command(stroke.paint(), others, label)):
            view.end_live(at_once=True)
            return

        self.session.document.autosave()  # which packs its tiles: a kill loses the stroke in hand alone

    def _shown(self) -> None:
        """The picture has what was painted: the image over it goes."""
        shown = self.session.shown
        if self._stroke is None and self._view is not None and shown is not None and shown.kit is self.session.kit:
            self._view.end_live()
            self._view = None
        self.follow()

    def _takes(self, ground: StrokeStart, stroke: Stroke) -> bool:
        """Whether what a stroke adds to a region is taken from others."""
        return self.painter.takes and stroke.adds and bool(ground.region)

    def _tint(self, ground: StrokeStart) -> Rgb8 | None:
        """What is painted is seen as grey where the pane shows that, else in the region's colour over the picture."""
        if LOOKS[self.stand.look.kind].shows_masks or self.stand.look.map == (ground.into.tone or None):
            return None
        region = self.session.chosen_region
        return region.id_colour if region else NO_REGION

    # Fill

    def _fill(self, at: Focus, ground: StrokeStart, view: TileView, where: QPointF) -> None:
        """Paint all that is like the texel under the cursor, or its island, shell, face or region; on a worker."""
        texel = texel_at(self._here, view, where)
        if texel is None:
            return
        painter = self.painter

        def make() -> commands.Command:
            size = ground.under.height, ground.under.width
            chosen = texels_like(at, self.session.sheets, texel, size, painter.limit, painter.tolerance)
            rows, columns = np.flatnonzero(chosen.any(axis=1)), np.flatnonzero(chosen.any(axis=0))
            stroke = ground.stroke(painter.brush, painter.value)
            if len(rows):
                rect = (int(rows[0]), int(columns[0]), int(rows[-1]) + 1, int(columns[-1]) + 1)
                stroke.fill(lambda r: chosen[r[0] : r[2], r[1] : r[3]], [rect])
            takes = self._takes(ground, stroke)
            others = taken_from_others(at, self.session.sheets, ground.region, stroke) if takes else {}
            made = stroke.paint()
            for paint in (made, *(paint for _, paint in others.values())):
                for tile in paint.tiles.values():
                    tile.pack()
            return ground.command(made, others, "Fill")

        self.session.do_made("Fill", make)

    # Where strokes may go

    def _limits(self, at: Focus, surface: SurfaceTexels | None, view: TileView, where: QPointF) -> tuple[Allow, ...]:
        painter = self.painter
        limits: list[Allow] = []
        texel = texel_at(self._here, view, where)
        if painter.limit == Limit.REGION and texel is not None:
            key = region_at(at, self.session.sheets, *texel)
            if key:
                try:
                    limits.append(inside(mask_of(at, self.session.sheets, key)))
                except NotReady as missing:
                    self.session.results.make(missing)
        face = int(surface.face[texel]) if surface is not None and texel is not None else -1
        if painter.limit in KINDS and surface is not None and face >= 0:
            faces = self._alike(face)
            if faces is not None:
                limits.append(on_faces(surface, faces))
        if isinstance(view, ModelCanvas) and painter.seen and surface is not None:
            ids = view.face_ids()
            count = int(surface.face.max()) + 1
            seen = np.zeros(count, dtype=bool)
            there = np.unique(ids[ids >= 0])
            seen[there[there < count]] = True
            limits.append(on_faces(surface, seen))
        return tuple(limits)

    def _alike(self, face: int) -> Bools | None:
        """The faces (F,) of the element that a face belongs to, if elements are known."""
        found = self.session.elements_of(KINDS[self.painter.limit])
        return None if found is None else np.asarray(found.labels == found.labels[face])

    def pick_value(self) -> None:
        """Take the value of the mask under the cursor as the one that is painted."""
        found = self._ready(False)
        if found is None or self._hovered is None:
            return
        texel = texel_at(self._here, *self._hovered)
        if texel is not None:
            stroke = found.ground.stroke(self.painter.brush)
            value = float(stroke.values_at(np.array([texel[0]]), np.array([texel[1]]))[0])
            self.session.view.change_painter(value=round(value, 3))

    def turn_over(self) -> None:
        """Add where one took away, and take away where one added."""
        self.session.view.change_painter(value=0.0 if self.painter.value > 0 else 1.0)

    def toggle_lock(self) -> None:
        """Keep the strokes of other regions off this one, or let them."""
        region = self.session.chosen_region
        if region is not None:
            self.session.do(commands.set_locked(region.key, not region.locked))
            state = "unlocked" if region.locked else "locked: strokes of other regions do not touch it"
            self.notice.tell(f"{region.name} is {state}.")

    def choose_hand(self, hand: Hand) -> None:
        """Paint, soften, smear or fill; a region that has no paint yet gets a step for it."""
        told = self._stages[self.session.view.state.stage].ready_to_paint(self.session)
        if told:
            self.notice.tell(told)
        if self.into is not None:
            self.session.view.change_painter(hand=hand)

    # What is seen of a stroke

    def _show(self, touched: list[Rect]) -> None:
        """Draw the mask where it was touched over the picture."""
        view, stroke, live = self._view, self._stroke, self._live
        if not touched or view is None or stroke is None or live is None:
            return
        if isinstance(view, Canvas):
            changed = live.show_on_sheet(view, stroke, touched)
        else:
            assert isinstance(view, ModelCanvas)
            found = mesh_on_sheet(self.session.at, self.session.sheets)
            middles = [path.last for path in self._paths if path.last is not None]
            changed = live.show_on_model(view, stroke, found, middles) if found else None
        if changed is not None:
            view.show_live(live, changed)

    # The brush under the cursor

    def wheel(self, steps: float) -> None:
        """Make the brush larger or smaller."""
        radius = min(max(self.painter.brush.radius * WHEEL_STEP**steps, LEAST_RADIUS), MOST_RADIUS)
        self.session.view.change_painter(radius=round(radius, 1))

    def hover(self, view: TileView, at: QPointF | None) -> None:
        """Show the true footprint of the brush: its rim, and where its hard part ends."""
        self._hovered = (view, at) if at is not None else None
        try:
            view.show_rings(self._rings(view, at) if at is not None and self.painter.hand != Hand.FILL else [])
        except NotReady as missing:
            self.session.results.make(missing)

    def _rings(self, view: TileView, at: QPointF) -> list[QPolygonF]:
        brush = self.painter.brush
        radii = [brush.radius, *([brush.radius * brush.hardness] if 0.05 < brush.hardness < 0.95 else [])]
        if isinstance(view, Canvas):
            width, _ = mask_size_of(self.session.at, self.session.sheets)
            scale = view.camera.zoom * view.camera.sheet[0] / width / view.ratio()
            return [rim_on_sheet(at, radius * scale) for radius in radii]
        assert isinstance(view, ModelCanvas)
        point, face, ready = point_at(self._here, view, at), view.face_at(at), self._ready(True)
        found = mesh_on_sheet(self.session.at, self.session.sheets)
        if point is None or found is None or ready is None or ready.surface is None:
            return []
        scaled = [radius * ready.surface.texel for radius in radii]
        return [rim_on_model(view, point, corners_of(found, np.array([face]))[0], radius) for radius in scaled]
