"""A stroke in hand: dabs put on the tiles of a painting, one by one, only where they touch it."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from enum import StrEnum
from typing import TYPE_CHECKING

import numpy as np

from even_palette.core.arrays import Bools, Floats, Samples, float32
from even_palette.core.raster.tiles import TILE, Spot
from even_palette.core.regions.brush import Brush, Dab, covered, print_of, reach_of, stamped, tip
from even_palette.core.regions.paint import WHOLE, Paint, PaintTile, packed_levels, place_name

if TYPE_CHECKING:
    from even_palette.core.mesh.texels import SurfaceTexels

SMEAR_REACH, SOFT_SHARE = 2, 0.2
DEPTH = 0.5
"""A stamp on a mesh prints what lies within this part of its radius off the plane that fits the surface there."""
Rect = tuple[int, int, int, int]
"""Top, left, bottom, right in texels; the last two are the first beyond it."""


class Effect(StrEnum):
    """What a stroke does to the mask under it."""

    VALUE = "value"
    SOFTEN = "soften"
    SMEAR = "smear"


@dataclass
class Stroke:
    """Paints on a mask of width x height texels, over `base`.

    `below` gives the mask under the paint at a place, (h, w) float32 0..1, and `allow` how far each texel of a
    rectangle may be painted on, 0..1, or None for all of it. `value` is what is painted: 1 adds to the region, 0 takes
    away.
    """

    width: int
    height: int
    base: Paint | None
    below: Callable[[Spot], Floats]
    brush: Brush
    value: float = 1.0
    effect: Effect = Effect.VALUE
    stamp: Floats | None = None
    allow: Callable[[Rect], Floats | Bools | None] = lambda rect: None
    surface: SurfaceTexels | None = None
    _tiles: dict[tuple[int, int], Floats] = field(default_factory=dict)
    _below: dict[tuple[int, int], Floats] = field(default_factory=dict)
    _last: Dab | None = None

    @property
    def last(self) -> Dab | None:
        """The last dab that was put."""
        return self._last

    def touched(self) -> list[Rect]:
        """The tiles that the stroke is on, as rectangles."""
        found = [self._spot(place) for place in self._tiles]
        return [(spot.top, spot.left, spot.bottom, spot.right) for spot in found]

    def restart(self) -> None:
        """Take back what was painted."""
        self._tiles.clear()
        self._last = None

    def put(self, dabs: Iterable[Dab]) -> list[Rect]:
        """Put dabs on the sheet, or in space where there is a `surface`; gives the rectangles that they touched."""
        touched: list[Rect] = []
        for dab in dabs:
            touched += self._put_on_surface(dab) if self.surface is not None else self._put_on_sheet(dab)
            self._last = dab
        return touched

    def fill(self, chosen: Callable[[Rect], Floats | Bools], rects: Iterable[Rect]) -> list[Rect]:
        """Paint all that is chosen of these rectangles, however the brush is set."""
        touched: list[Rect] = []
        for whole in rects:
            for rect in self._parts(whole):
                self._apply(rect, float32(chosen(rect)), np.asarray(self.value, dtype=np.float32))
                touched.append(rect)
        return touched

    def _put_on_sheet(self, dab: Dab) -> list[Rect]:
        whole = reach_of(dab, self.width, self.height, self.stamp is not None)
        if whole[0] >= whole[2] or whole[1] >= whole[3]:
            return []
        share, target = print_of(dab, self.brush, *whole, self.stamp), self._target(whole, dab)
        touched = []
        for rect in self._parts(whole):
            part = (slice(rect[0] - whole[0], rect[2] - whole[0]), slice(rect[1] - whole[1], rect[3] - whole[1]))
            if share[part].any():
                self._apply(rect, share[part], target[part] if target.ndim else target)
                touched.append(rect)
        return touched

    def _put_on_surface(self, dab: Dab) -> list[Rect]:
        surface = self.surface
        assert surface is not None
        found: list[tuple[Rect, Floats, Floats]] = []
        if self.stamp is None:
            rects, distances = surface.near(dab.x, dab.y, dab.z, dab.radius + 1)
            strength = tip(distances, dab.radius, self.brush.hardness)
        else:
            rects, right, down, off = surface.laid(dab.x, dab.y, dab.z, dab.radius * math.sqrt(2) + 1)
            near = np.abs(off) <= dab.radius * DEPTH
            printed = stamped(self.stamp, np.where(near, right, np.float32(1e6)), np.where(near, down, 0), dab)
            strength = float32(printed * near)
        shares = covered(strength, dab.flow, dab.travel)
        smeared = self._smeared(rects, dab) if self.effect == Effect.SMEAR else None
        for number, (rect, share) in enumerate(zip(rects, shares, strict=True)):
            if share.any():
                cut = share[: rect[2] - rect[0], : rect[3] - rect[1]]
                found.append((rect, cut, self._target(rect, dab) if smeared is None else smeared[number]))
        for rect, share, target in found:
            self._apply(rect, share, target)
        return [rect for rect, _, _ in found]

    def _parts(self, rect: Rect) -> list[Rect]:
        """The rectangle cut where tiles meet."""
        top, left, bottom, right = rect
        return [
            (max(top, down * TILE), max(left, across * TILE), min(bottom, down * TILE + TILE),
             min(right, across * TILE + TILE))
            for down in range(top // TILE, -(-bottom // TILE))
            for across in range(left // TILE, -(-right // TILE))
        ]  # fmt: skip

    def _apply(self, rect: Rect, share: Floats, target: Floats) -> None:
        """Draw the mask of a rectangle within one tile towards the target, by a share 0..1 of each texel."""
        allowed = self.allow(rect)
        if allowed is not None:
            share = share * float32(allowed)
        tile, top, left = self._tile(rect)
        cut = tile[:, rect[0] - top : rect[2] - top, rect[1] - left : rect[3] - left]
        cut[0] += (target - cut[0]) * share
        cut[1:] += (1 - cut[1:]) * share

    def _target(self, rect: Rect, dab: Dab) -> Floats:
        """What a dab draws the mask of a rectangle towards: a value, or what is around it."""
        if self.effect == Effect.VALUE:
            return np.asarray(self.value, dtype=np.float32)
        from scipy.ndimage import gaussian_filter, shift

        if self.effect == Effect.SOFTEN:
            reach = max(2, round(dab.radius * SOFT_SHARE * 2))
            around = self.mask((rect[0] - reach, rect[1] - reach, rect[2] + reach, rect[3] + reach))
            soft = gaussian_filter(around, reach / 2, truncate=2.0)
            return float32(soft[reach:-reach, reach:-reach])
        last = self._last or dab
        dy, dx = dab.y - last.y, dab.x - last.x
        reach = int(max(abs(dy), abs(dx))) + SMEAR_REACH
        around = self.mask((rect[0] - reach, rect[1] - reach, rect[2] + reach, rect[3] + reach))
        moved = shift(around, (dy, dx), order=1, mode="nearest")
        return float32(moved[reach:-reach, reach:-reach])

    def _smeared(self, rects: list[Rect], dab: Dab) -> list[Floats]:
        """What a dab on a mesh draws these rectangles towards: the mask where the brush came from, of the texel next to
        there, also over seams.
        """
        from scipy.spatial import KDTree

        surface, last = self.surface, self._last or dab
        assert surface is not None
        way = float32((dab.x - last.x, dab.y - last.y, dab.z - last.z))
        places = [surface.places[top:bottom, left:right].reshape(-1, 3) for top, left, bottom, right in rects]
        corners = [np.mgrid[top:bottom, left:right].reshape(2, -1) for top, left, bottom, right in rects]
        every, (rows, columns) = np.concatenate(places), np.concatenate(corners, axis=1)
        known = np.isfinite(every).all(axis=-1)
        values = self.values_at(rows, columns)
        if known.any() and way.any():
            _, nearest = KDTree(every[known]).query(every[known] - way)
            values[known] = values[known][nearest]
        made, first = [], 0
        for top, left, bottom, right in rects:
            count = (bottom - top) * (right - left)
            made.append(values[first : first + count].reshape(bottom - top, right - left))
            first += count
        return made

    def mask(self, rect: Rect) -> Floats:
        """The mask with the paint over it, as it is now; beyond the sheet its edge goes on."""
        top, left, bottom, right = rect
        inner = (max(top, 0), max(left, 0), min(bottom, self.height), min(right, self.width))
        out = np.empty((inner[2] - inner[0], inner[3] - inner[1]), dtype=np.float32)
        for part in self._parts(inner):
            place = (part[0] // TILE, part[1] // TILE)
            rows = slice(part[0] - place[0] * TILE, part[2] - place[0] * TILE)
            columns = slice(part[1] - place[1] * TILE, part[3] - place[1] * TILE)
            found = self._under(place)[rows, columns]
            tile = self._known_tile(place)
            if tile is not None:
                found = tile[0][rows, columns] + (1 - tile[1][rows, columns]) * found
            out[part[0] - inner[0] : part[2] - inner[0], part[1] - inner[1] : part[3] - inner[1]] = found
        beyond = ((inner[0] - top, bottom - inner[2]), (inner[1] - left, right - inner[3]))
        return np.pad(out, beyond, mode="edge") if any(map(any, beyond)) else out

    def values_at(self, rows: Samples, columns: Samples) -> Floats:
        """The mask as it is now at texels (n,) anywhere on the sheet, (n,)."""
        out = np.empty(len(rows), dtype=np.float32)
        across = -(-self.width // TILE)
        number = rows // TILE * across + columns // TILE
        for at in np.unique(number).tolist():
            own = number == at
            down, right = divmod(at, across)
            place = (down, right)
            here = rows[own] - down * TILE, columns[own] - right * TILE
            found = self._under(place)[here]
            tile = self._known_tile(place)
            out[own] = tile[0][here] + (1 - tile[1][here]) * found if tile is not None else found
        return out

    def _known_tile(self, place: tuple[int, int]) -> Floats | None:
        """What is painted on a tile, if anything is."""
        tile = self._tiles.get(place)
        if tile is None and self._base_tile(place) is not None:
            spot = self._spot(place)
            tile = self._tile((spot.top, spot.left, spot.bottom, spot.right))[0]
        return tile

    def _under(self, place: tuple[int, int]) -> Floats:
        found = self._below.get(place)
        if found is None:
            found = self._below[place] = self.below(self._spot(place))
        return found

    def _spot(self, place: tuple[int, int]) -> Spot:
        down, across = place
        bottom, right = min(down * TILE + TILE, self.height), min(across * TILE + TILE, self.width)
        return Spot(down, across, down * TILE, across * TILE, bottom, right)

    def _base_tile(self, place: tuple[int, int]) -> PaintTile | None:
        return self.base.at(self._spot(place)) if self.base is not None else None

    def _tile(self, rect: Rect) -> tuple[Floats, int, int]:
        """Value, cover, and cover of this stroke alone (3, h, w), of the tile that a rectangle lies in; its corner."""
        place = (rect[0] // TILE, rect[1] // TILE)
        if place not in self._tiles:
            spot = self._spot(place)
            own = self._base_tile(place)
            tile = np.zeros((3, *spot.shape), dtype=np.float32)
            if own is not None:
                tile[:2] = np.moveaxis(float32(own.samples(*spot.shape)), -1, 0) / np.float32(WHOLE)
            self._tiles[place] = tile
        return self._tiles[place], place[0] * TILE, place[1] * TILE

    @property
    def adds(self) -> bool:
        """Whether it adds to the region."""
        return self.effect == Effect.VALUE and self.value > 0

    def taken_from(self, paint: Paint | None) -> Paint:
        """Another region's painting, taken away from as far as this stroke covers."""
        base = paint or Paint(self.width, self.height)
        made: dict[str, PaintTile | None] = {}
        for place, tile in self._tiles.items():
            spot, laid = self._spot(place), tile[2] * np.float32(self.value)
            own = base.at(spot)
            before = float32(own.samples(*spot.shape)) / np.float32(WHOLE) if own else np.zeros((*spot.shape, 2))
            value, cover = before[..., 0] * (1 - laid), before[..., 1] + (1 - before[..., 1]) * laid
            samples = packed_levels(float32(value), float32(cover))
            made[place_name(spot)] = PaintTile.of(samples) if samples.any() else None
        return base.with_tiles(made)

    def covers(self, mask: Callable[[Rect], Floats]) -> bool:
        """Whether it covers texels that a mask has anything of."""
        return any(
            (tile[2] * mask(rect) > 0).any() for tile, rect in zip(self._tiles.values(), self.touched(), strict=True)
        )

    def paint(self) -> Paint:
        """The painting with the stroke in it; what the stroke did not touch is shared with the base."""
        base = self.base or Paint(self.width, self.height)
        made: dict[str, PaintTile | None] = {}
        for place, tile in self._tiles.items():
            samples = packed_levels(tile[0], tile[1])
            made[place_name(self._spot(place))] = PaintTile.of(samples) if samples.any() else None
        return base.with_tiles(made)


def stroke_through(stroke: Stroke, dabs: Iterable[Dab]) -> Paint:
    """The painting after all dabs of a stroke."""
    stroke.put(dabs)
    return stroke.paint()
