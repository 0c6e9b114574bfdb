"""A brush: where its dabs fall along a path, and what share of a texel each of them covers.

Flow is what a stroke lays down while the brush travels its own width: a dab that stands for a travel of s widths covers
1 - (1 - flow · tip)^s. So the result hardly depends on the spacing, and as that goes to 0 the uncovered rest at a texel
becomes exp(∫ ln(1 - flow · tip) ds) along the path, s in widths of the brush. A stamp is printed whole at each dab.
"""

import math
from collections.abc import Iterator
from dataclasses import dataclass, field

import msgspec
import numpy as np

from even_palette.core.arrays import Floats, float32

LEAST_RADIUS, MOST_RADIUS = 0.5, 1024.0
LEAST_SPACING = 0.02
LEAST_REST = 1e-30
"""Of a tip that covers wholly, so that its power for a short travel is still next to nothing."""
GRID = 256.0
"""Dabs lie on multiples of this part of a texel, so that rounding in a path cut elsewhere moves none of them."""


class Brush(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What is painted with: radius in texels; hardness, flow and spacing 0..1, the spacing in widths of the brush.

    `stamp` names an image of `core/regions/stamps` instead of the round tip, or the file of one; it is turned by
    `turn_deg`, and each dab by up to `jitter` of a whole turn more. Pressure scales the radius, the flow, or nothing.
    """

    radius: float = 24.0
    hardness: float = 0.5
    flow: float = 1.0
    spacing: float = 0.1
    stamp: str = ""
    turn_deg: float = 0.0
    jitter: float = 0.0
    pressure_radius: bool = True
    pressure_flow: bool = False


@dataclass(frozen=True)
class Dab:
    """One print of the brush: its middle in texels from the upper left corner, and its travel in widths."""

    x: float
    y: float
    radius: float
    flow: float
    travel: float
    turn: float = 0.0
    z: float = 0.0


@dataclass
class Path:
    """Dabs along a line through points, at equal distances whatever pieces the line is given in.

    Points are (x, y) in texels, or (x, y, z) on a mesh in its units; `scale` is then how long a texel is.
    """

    brush: Brush
    scale: float = 1.0
    seed: int = 1
    _last: tuple[float, ...] | None = None
    _pressure: float = 1.0
    _left: float = 0.0
    _count: int = 0
    _alone: bool = field(default=True)

    def extend(self, point: tuple[float, ...], pressure: float = 1.0) -> list[Dab]:
        """The dabs on the way to another point. The first point gives one dab that stands for a whole width.

        Once the brush travels, that first dab is replaced: see `restarts`.
        """
        if self._last is None:
            self._last, self._pressure, self._left = point, pressure, self._step(pressure)
            return [self._dab(point, pressure, 1.0)]
        start, length = self._last, math.dist(self._last, point)
        if length == 0:
            return []
        made, at = [], 0.0
        if self._alone:
            self._alone = False
            made.append(self._dab(start, self._pressure, 1.0 if self.brush.stamp else self._share / 2))
        while at + self._left <= length:
            at += self._left
            t = at / length
            here = tuple(a + (b - a) * t for a, b in zip(start, point, strict=True))
            now = self._pressure + (pressure - self._pressure) * t
            made.append(self._dab(here, now, 1.0 if self.brush.stamp else self._share))
            self._left = self._step(now)
        self._left -= length - at
        self._last, self._pressure = point, pressure
        return made

    @property
    def last(self) -> tuple[float, ...] | None:
        """The point where it is now."""
        return self._last

    @property
    def restarts(self) -> bool:
        """Whether the next point takes the first dab back: a brush that travels leaves no blot where it began."""
        return self._alone and self._last is not None

    def _radius(self, pressure: float) -> float:
        wanted = self.brush.radius * (pressure if self.brush.pressure_radius else 1.0)
        return min(max(wanted, LEAST_RADIUS), MOST_RADIUS)

    @property
    def _share(self) -> float:
        return max(self.brush.spacing, LEAST_SPACING)

    def _step(self, pressure: float) -> float:
        return self._share * 2 * self._radius(pressure) * self.scale

    def _dab(self, point: tuple[float, ...], pressure: float, travel: float) -> Dab:
        brush, grid = self.brush, GRID / self.scale
        x, y, *rest = (round(c * grid) / grid for c in point)
        flow = brush.flow * (pressure if brush.pressure_flow else 1.0)
        turn = math.radians(brush.turn_deg)
        if brush.jitter:
            from even_palette.core.chance import hashed_unit

            turn += float(hashed_unit(np.array([self._count]), self.seed)[0]) * brush.jitter * math.tau
        self._count += 1
        return Dab(x, y, self._radius(pressure), flow, travel, turn, rest[0] if rest else 0.0)


def tip(distance: Floats, radius: float, hardness: float) -> Floats:
    """How strong a round tip is at distances in texels from its middle, 0..1.

    1 up to `hardness` of the radius, 0 from the radius on, smoothstep between; a hard edge is one texel wide.
    """
    soft = max(radius * (1 - hardness), 1.0)
    t = np.clip((np.float32(radius + min(soft, 1.0) / 2) - distance) / np.float32(soft), 0, 1)
    return float32(t * t * (3 - 2 * t))


def covered(strength: Floats, flow: float, travel: float) -> Floats:
    """What share a dab of this strength 0..1 covers that stands for a travel of so many widths."""
    rest = np.maximum(np.float32(1) - strength * np.float32(flow), np.float32(LEAST_REST))
    return float32(1 - rest ** np.float32(travel)) if travel != 1 else float32(1 - rest)


def print_of(dab: Dab, brush: Brush, top: int, left: int, bottom: int, right: int, stamp: Floats | None) -> Floats:
    """What share of each texel of a rectangle a dab on the sheet covers, (bottom - top, right - left) float32 0..1."""
    y = np.arange(top, bottom, dtype=np.float32)[:, None] + np.float32(0.5 - dab.y)
    x = np.arange(left, right, dtype=np.float32)[None, :] + np.float32(0.5 - dab.x)
    far = np.sqrt(x * x + y * y)
    strength = tip(far, dab.radius, brush.hardness) if stamp is None else stamped(stamp, x, y, dab)
    return covered(strength, dab.flow, dab.travel)


def stamped(stamp: Floats, x: Floats, y: Floats, dab: Dab) -> Floats:
    """A stamp (S, S) 0..1, turned and scaled so that it spans the dab, at offsets in texels from the dab's middle."""
    from scipy.ndimage import map_coordinates

    cos, sin = math.cos(dab.turn), math.sin(dab.turn)
    side = stamp.shape[0]
    scale = side / (2 * dab.radius)
    column = (x * cos + y * sin) * scale + (side - 1) / 2
    row = (y * cos - x * sin) * scale + (side - 1) / 2
    found = map_coordinates(stamp, np.broadcast_arrays(row, column), order=1, mode="constant", cval=0.0)
    return float32(np.clip(found, 0, 1))


def reach_of(dab: Dab, width: int, height: int, stamp: bool) -> tuple[int, int, int, int]:
    """The rectangle of a sheet that a dab can touch: top, left, bottom, right; empty where it lies beside the sheet."""
    far = dab.radius * (math.sqrt(2) if stamp else 1.0) + 1
    top, bottom = max(0, math.floor(dab.y - far)), min(height, math.ceil(dab.y + far))
    left, right = max(0, math.floor(dab.x - far)), min(width, math.ceil(dab.x + far))
    return top, left, max(top, bottom), max(left, right)


def along(brush: Brush, points: list[tuple[float, ...]], pressures: list[float] | None = None) -> Iterator[Dab]:
    """All dabs of a stroke through points, as `Path` gives them once the first dab is replaced."""
    path, told = Path(brush), pressures or [1.0] * len(points)
    first: list[Dab] = []
    for point, pressure in zip(points, told, strict=True):
        if path.restarts:
            dabs = path.extend(point, pressure)
            if path.restarts:
                continue
            first = []
        else:
            dabs = path.extend(point, pressure)
            if path.restarts:
                first, dabs = dabs, []
        yield from dabs
    yield from first
