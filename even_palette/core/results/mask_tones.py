"""Tones that are made by tiles: what is painted into a plane of its own, and the mask of a region with more steps.

So a stroke makes anew the tiles that it touches alone, as on the mask of a region.
"""

import numpy as np

from even_palette.core.arrays import Samples
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken
from even_palette.core.kit.model import Focus
from even_palette.core.kit.sheet import Step, Tone
from even_palette.core.limits import MOST_STEPS
from even_palette.core.raster.tiles import Grid, Spot, Tile, TiledPlane, each_tile, grid_of, make_tile
from even_palette.core.regions.paint import Paint
from even_palette.core.results.id_map import mask_size_of
from even_palette.core.results.mask_names import mask_names_of
from even_palette.core.results.masks import mask_of, painted_over, stepped
from even_palette.core.results.store import Store
from even_palette.core.results.weights import weights_name, weights_of
from even_palette.core.tones.kinds import TONES

LEVELS_A_STEP = 257
"""16-bit values a level of 8 bits."""


def even_plane(width: int, height: int, value: float) -> TiledPlane:
    """A plane of one value 0..1, (height, width, 1) uint16."""
    level = np.uint16(value * 65535 + 0.5)

    def tile(spot: Spot) -> Tile:
        return make_tile(np.broadcast_to(level, (*spot.shape, 1)))

    return TiledPlane(Grid(height, width, tuple(each_tile(height, width, tile))))


def painted_plane(store: Store, tone: Tone, cancel: CancelToken | None = None) -> TiledPlane:
    """What is painted over an even ground, (H, W, 1) uint16. Raises Cancelled."""
    assert tone.paint is not None
    return TiledPlane(painted_over(store, ground_under(store, tone.paint, tone).grid, tone.paint, cancel=cancel))


def ground_under(store: Store, paint: Paint, tone: Tone) -> TiledPlane:
    """The even ground of a painted tone, of the size of its paint."""
    told = paint.width, paint.height, float(TONES[tone.kind].settings(tone.values)["ground"])
    return store.cache.get(("even", *told), lambda: even_plane(*told))


def mask_plane(at: Focus, store: Store, tone: Tone, cancel: CancelToken | None = None) -> TiledPlane:
    """The mask of a region, or its weight, with more steps: (H, W, 1) uint16. Raises UserError, or Cancelled."""
    if not tone.region:
        raise UserError(f"{tone.name} is made of the mask of no region yet; choose one.")
    settings = TONES[tone.kind].settings(tone.values)
    if settings["what"] == "weight":
        number = [region.key for region in at.sheet.regions].index(tone.region)
        grid = grid_of(_fine(weights_of(at, store, cancel=cancel).levels[number]), cancel)
    else:
        grid = mask_of(at, store, tone.region).grid
    for kind in ("grow", "feather"):
        if radius := float(settings[kind]):
            grid = stepped(at, store, grid, Step(kind, {"radius": radius}), {}, cancel)
    return TiledPlane(grid)


def _fine(levels: Samples) -> Samples:
    return np.asarray(levels[..., None].astype(np.uint16) * LEVELS_A_STEP)


def mask_tone_name(at: Focus, store: Store, tone: Tone) -> object:
    """Names what a tone takes of regions."""
    if not tone.region:
        return ""
    if TONES[tone.kind].settings(tone.values)["what"] == "weight":
        return tone.region, weights_name(at, store)
    return mask_names_of(at, store).name((tone.region, MOST_STEPS))


def size_of_mask_tone(at: Focus, store: Store, tone: Tone) -> tuple[int, int]:
    """Width and height of one that is painted, or made of a mask."""
    return (tone.paint.width, tone.paint.height) if tone.paint is not None else mask_size_of(at, store)
