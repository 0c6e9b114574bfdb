"""Strokes on the mask of a region: which step takes them, what lies under it, and where they may go."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from even_palette.core.arrays import Bools, Floats, float32
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


@dataclass(frozen=True, eq=False)
class StrokeStart:
    """What a stroke of a region begins on: its step, the paint there, the mask under it and those that are locked."""

    region: str
    number: int
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


def ground_of(at: Focus, store: Store, key: str, number: int = -1) -> StrokeStart:
    """What strokes of a region begin on, in the step with this number or the one that takes strokes by itself.

    Raises KeyError without such a region.
    """
    region = at.kit.region(key)
    chosen = 0 <= number < len(region.steps) and STEPS[region.steps[number].kind].is_paint
    number = number if chosen else paint_number(region)
    paint = region.steps[number].paint if number < len(region.steps) else None
    under = mask_of(at, store, key, number)
    if paint is not None and (paint.width, paint.height) != (under.width, under.height):
        paint = rescaled(paint, under.width, under.height)
    locked = tuple(mask_of(at, store, other.key) for other in at.sheet.regions if other.locked and other.key != key)
    return StrokeStart(key, number, paint, under, locked)


def taken_from_others(at: Focus, store: Store, key: str, stroke: Stroke) -> dict[str, tuple[int, Paint]]:
    """The paint of other regions after a stroke that adds to one: it is taken from those that had what it covers.

    By region, the number of the step and the paint. What is locked was not covered.
    """
    found = {}
    for other in at.sheet.regions:
        if other.key == key or other.locked:
            continue
        ground = ground_of(at, store, other.key)
        bare = ground.stroke(Brush())
        if stroke.covers(bare.mask):
            found[other.key] = (ground.number, stroke.taken_from(ground.paint))
    return found


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
