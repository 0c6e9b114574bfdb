"""What time left on the ferry tug: hue that wanders through its paint, growth above the waterline, and name plates."""

import numpy as np

from even_palette.core.arrays import Floats, float32
from even_palette.core.colour.hexcode import hex_to_encoded
from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import Overcoats
from even_palette.core.kit.history import History
from even_palette.core.kit.sheet import Bake, Tone
from even_palette.core.material.model import Coat, PlaneKind, PlaneRef, PlaneUse, Value
from even_palette.core.noise import Form, Noise, noise_at
from even_palette.core.raster.tiles import spots
from even_palette.core.regions.paint import Paint, PaintTile, packed_levels, place_name

SIDE = 1024
WATERLINE = (0.12, 0.232)
"""From where to where growth thins out upwards, down the sheet."""
PLATES = ((0.06, 0.05, 0.1, 0.085), (0.9, 0.05, 0.94, 0.085))
"""Left, top, right and bottom of the plates in uv."""
BEVEL = 0.004


def painted(values: Floats) -> Paint:
    """Paint that covers a sheet with values (SIDE, SIDE) float32 wherever they are above 0."""
    tiles = {}
    for spot in spots(SIDE, SIDE):
        cut = values[spot.top : spot.bottom, spot.left : spot.right]
        if cut.any():
            tiles[place_name(spot)] = PaintTile.of(packed_levels(cut, float32(cut > 0)))
    return Paint(SIDE, SIDE, tiles)


def growth() -> Floats:
    """Weed above the waterline: thick below, in streaks that end higher or lower, (SIDE, SIDE)."""
    at = (np.arange(SIDE) + 0.5) / SIDE
    u, v = np.meshgrid(at, at)
    places = np.stack([u.ravel() * 48, v.ravel() * 9, np.full(u.size, 0.5)], axis=-1)
    streaks = noise_at(places, Noise(Form.CLOUDS, 4, 0.55, 3.0, 0.4, 11, True)).reshape(SIDE, SIDE)
    high, low = WATERLINE
    rise = np.clip((v - high) / (low - high), 0, 1)
    found = np.clip((streaks + rise * 1.7 - 1.0) * 2.2, 0, 1)
    return float32(np.where(v < low, found, 0))


def plates() -> Floats:
    """Two plates with bevelled rims, (SIDE, SIDE)."""
    at = (np.arange(SIDE) + 0.5) / SIDE
    u, v = np.meshgrid(at, at)
    found = np.zeros((SIDE, SIDE))
    for left, top, right, bottom in PLATES:
        inside = np.minimum(np.minimum(u - left, right - u), np.minimum(v - top, bottom - v))
        found = np.maximum(found, np.clip(inside / BEVEL, 0, 1))
    return float32(found)


def wear(history: History, hull: list[str]) -> None:
    """Put it on: a shift by noise of the object on the planks of the hull, and overcoats by what was painted."""
    key = history.kit.sheets[0].key
    history.do(commands.add_bake(key, Bake("hull_noise", "noise", 512, 8, 1, {"size": 0.8, "octaves": 3.0})))
    noise = {"noise": PlaneUse(PlaneRef(PlaneKind.BAKE, "hull_noise"))}
    for region in hull:
        history.do(commands.add_coat(region, Coat("shift", {"noise": 11.0}, noise)))
    stain, plate = Tone("growth", "Growth", "painted", paint=painted(growth())), painted(plates())
    history.do(commands.add_tone(key, stain))
    history.do(commands.add_tone(key, Tone("plates", "Name plates", "painted", paint=plate)))
    raised = Tone("plates_raised", "Plates raised", "relief", PlaneRef(PlaneKind.TONE, "plates"), {"height": 5.0})
    history.do(commands.add_tone(key, raised))
    both = tuple(PlaneUse(PlaneRef(PlaneKind.TONE, name)) for name in ("growth", "plates"))
    history.do(commands.add_tone(key, Tone("marks", "Growth and plates", "packed", parts=both)))
    marks, over = PlaneRef(PlaneKind.TONE, "marks"), Overcoats(key)
    history.do(commands.add_coat(over, Coat("repaint", {"colour": hex_to_encoded("#4d4d2f"), "strength": 0.7},
                                            pattern=PlaneUse(marks, 0))))  # fmt: skip
    brass: dict[str, Value] = {"colour": hex_to_encoded("#b8923f"), "strength": 0.85}
    history.do(commands.add_coat(over, Coat("repaint", brass, pattern=PlaneUse(marks, 1))))
    detail = {"detail": PlaneUse(PlaneRef(PlaneKind.TONE, "plates_raised"))}
    history.do(commands.add_coat(over, Coat("relief", {}, detail)))
