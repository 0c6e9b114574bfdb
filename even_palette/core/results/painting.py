"""Strokes on the mask of a region, or on a painted tone: what takes them, what lies under, and where they may go."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from even_palette.core.arrays import Bools, Floats, float32
from even_palette.core.kit import commands
from even_palette.core.kit.commands import Command
from even_palette.core.kit.model import Focus
from even_palette.core.kit.sheet import Region
from even_palette.core.raster.files import read_plane
from even_palette.core.raster.plane import Encoding
from even_palette.core.raster.sampling import Sampler, sample, texel_centres
from even_palette.core.raster.tiles import Spot, TiledPlane, spots
from even_palette.core.regions.brush import Brush
from even_palette.core.regions.paint import Paint
from even_palette.core.regions.steps import STEPS
from even_palette.core.regions.stroke import Effect, Rect, Stroke
from even_palette.core.results.id_map import mask_size_of
from even_palette.core.results.mask_tones import ground_under
from even_palette.core.results.masks import mask_of, scaled_paint
from even_palette.core.results.store import Store

if TYPE_CHECKING:
    from even_palette.core.mesh.texels import SurfaceTexels

MOST_STAMP = 512
Allow = Callable[[Rect], "Floats | Bools | None"]


def paint_number(region: Region) -> int:
    """The step of a region that takes strokes: its last one if that is paint that acts, else one to be put behind."""
    last = len(region.steps) - 1
    if last >= 0 and STEPS[region.steps[last].kind].is_paint and region.steps[last].on:
        return last
    return len(region.steps)


@dataclass(frozen=True)
class Into:
    """What strokes go into: a step of a region, -1 for the one that takes strokes by itself, or a painted tone."""

    region: str = ""
    number: int = -1
    tone: str = ""


@dataclass(frozen=True, eq=False)
class StrokeStart:
    """What a stroke begins on: what it goes into, the paint there, what lies under it and the masks that are locked."""

    sheet: str
    into: Into
    paint: Paint | None
    under: TiledPlane
    locked: tuple[TiledPlane, ...]

    def stroke(
        self,
        brush: Brush,
        value: float = 1.0,
        effect: Effect = Effect.VALUE,
        stamp: Floats | None = None,
        limits: tuple[Allow, ...] = (),
        surface: SurfaceTexels | None = None,
    ) -> Stroke:
        """A stroke that begins here; each of the limits says how far texels may be painted on, or None for all."""
        grid = self.under.grid

        def below(spot: Spot) -> Floats:
            tile = grid.at(spot.down, spot.across)
            assert tile is not None
            return float32(tile.samples[..., 0]) / np.float32(65535)

        def allow(rect: Rect) -> Floats | None:
            allowed: Floats | None = None
            for limit in (*map(outside, self.locked), *limits):
                found = limit(rect)
                if found is not None:
                    allowed = float32(found) if allowed is None else float32(allowed * found)
            return allowed

        return Stroke(grid.width, grid.height, self.paint, below, brush, value, effect, stamp, allow, surface)

    @property
    def region(self) -> str:
        """The key of the region whose mask it is, "" for a tone."""
        return self.into.region

    def command(self, paint: Paint, others: Mapping[str, tuple[int, Paint]], label: str = "Paint") -> Command:
        """What makes the paint that of the kit, and that of other regions with it."""
        if self.into.tone:
            return commands.paint_tone(self.sheet, self.into.tone, paint, label)
        return commands.paint_steps({self.into.region: (self.into.number, paint), **others}, label)


def ground_of(at: Focus, store: Store, into: Into) -> StrokeStart:
    """What strokes begin on, of the size of the sheet's masks. Raises KeyError without such a region or tone."""
    if into.tone:
        tone = at.sheet.tone(into.tone)
        if tone.paint is None:
            raise KeyError(into.tone)
        own = _of_size(tone.paint, *mask_size_of(at, store))
        return StrokeStart(at.key, into, own, ground_under(store, own, tone), ())
    key, number = into.region, into.number
    region = at.kit.region(key)
    chosen = 0 <= number < len(region.steps) and STEPS[region.steps[number].kind].is_paint
    number = number if chosen else paint_number(region)
    paint = region.steps[number].paint if number < len(region.steps) else None
    under = mask_of(at, store, key, number)
    paint = _of_size(paint, under.width, under.height) if paint is not None else None
    locked = tuple(mask_of(at, store, other.key) for other in at.sheet.regions if other.locked and other.key != key)
    return StrokeStart(at.key, Into(key, number), paint, under, locked)


def taken_from_others(at: Focus, store: Store, key: str, stroke: Stroke) -> dict[str, tuple[int, Paint]]:
    """The paint of other regions after a stroke that adds to one: it is taken from those that had what it covers.

    By region, the number of the step and the paint. What is locked was not covered.
    """
    found = {}
    for other in at.sheet.regions:
        if other.key == key or other.locked:
            continue
        ground = ground_of(at, store, Into(other.key))
        bare = ground.stroke(Brush())
        if stroke.covers(bare.mask):
            found[other.key] = (ground.into.number, stroke.taken_from(ground.paint))
    return found


def _of_size(paint: Paint, width: int, height: int) -> Paint:
    return paint if (paint.width, paint.height) == (width, height) else rescaled(paint, width, height)


def rescaled(paint: Paint, width: int, height: int) -> Paint:
    """Paint for masks of another size, filtered linearly."""
    from even_palette.core.regions.paint import PaintTile, place_name

    tiles = {}
    for spot in spots(height, width):
        samples = scaled_paint(paint, spot, height, width)
        if samples.any():
            tiles[place_name(spot)] = PaintTile.of(samples)
    return Paint(width, height, tiles)


def outside(mask: TiledPlane) -> Allow:
    """Texels as far as a mask does not have them."""

    def allow(rect: Rect) -> Floats:
        return float32(1 - float32(mask.grid.cut(*rect)[..., 0]) / np.float32(65535))

    return allow


def inside(mask: TiledPlane) -> Allow:
    """Texels as far as a mask has them."""

    def allow(rect: Rect) -> Floats:
        return float32(mask.grid.cut(*rect)[..., 0]) / np.float32(65535)

    return allow


def on_faces(surface: SurfaceTexels, faces: Bools) -> Allow:
    """Texels that show some faces of the mesh (F,), padding with its island."""

    def allow(rect: Rect) -> Bools:
        face = surface.face[rect[0] : rect[2], rect[1] : rect[3]]
        return np.asarray(faces[face] & (face >= 0))

    return allow


def like_texels(colour: Floats, row: int, column: int, tolerance: float) -> Bools:
    """Texels (H, W) that hang together with one and are like it: every channel of (H, W, 3) within a tolerance."""
    from scipy.ndimage import label

    near = (np.abs(colour - colour[row, column]) <= tolerance).all(axis=-1)
    patches, _ = label(near)
    return np.asarray(patches == patches[row, column])


def stamp_of(name: str) -> Floats | None:
    """The stamp of a brush: shipped, by its name, or a file; None for the round tip. Raises UserError.

    A file counts by its luminance, or by its alpha where it has one; it is brought to a square of at most 512 texels.
    """
    if not name:
        return None
    from even_palette.core.regions.stamps import STAMPS, shipped_stamp

    return shipped_stamp(name) if name in STAMPS else read_stamp(Path(name))


def read_stamp(path: Path) -> Floats:
    """An image as a stamp (S, S) float32 0..1. Raises UserError if it cannot be read."""
    plane = read_plane(path, Encoding.DATA)
    side = min(MOST_STAMP, max(plane.width, plane.height))
    texels = sample(plane, texel_centres(side, side), Sampler(mips=True))
    if plane.channels in (2, 4):
        return float32(texels[..., -1])
    return float32(texels[..., :3].mean(axis=-1))
