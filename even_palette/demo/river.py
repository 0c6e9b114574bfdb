"""The river at the landing: a bed of silt under two layers that move, and a wet bank."""

from functools import cache

import numpy as np
from scipy.ndimage import gaussian_filter

from even_palette.core.arrays import Floats, float32
from even_palette.core.colour.hexcode import Rgb8, hex_to_encoded
from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import Owner
from even_palette.core.kit.history import History
from even_palette.core.material.model import Coat, PlaneKind, PlaneRef, PlaneUse, Value, ValueKind
from even_palette.core.mesh.model import Mesh
from even_palette.core.raster.plane import Encoding, Plane, to_levels8
from even_palette.core.raster.sampling import Wrap
from even_palette.demo.noise import layered
from even_palette.demo.shapes import Modeller, part_map

SIDE, TILE = 512, 256
WATER, BANK = (4.0, 76.0, 508.0, 508.0), (4.0, 4.0, 508.0, 68.0)
METRES = 24.0
ID_COLOURS: dict[str, Rgb8] = {"Water": (40, 110, 170), "Bank": (140, 100, 60)}


@cache
def river_mesh() -> tuple[Mesh, tuple[str, ...]]:
    """The mesh, and the part of each face: a flat sheet of water, and a bank that rises behind it."""
    made = Modeller(SIDE)
    across, away = np.meshgrid(np.linspace(-0.5, 0.5, 13) * METRES, np.linspace(-0.5, 0.5, 11) * METRES)
    made.grid(np.stack([across, np.zeros_like(across), away], axis=-1), WATER, "Water", "Water")
    across, rise = np.meshgrid(np.linspace(-0.5, 0.5, 25) * METRES, np.linspace(1, 0, 6))
    lumps = 0.12 * np.sin(across * 1.7 + rise * 3) * rise
    back = -0.5 * METRES - 3 * rise + 0.2 * np.sin(across * 0.9)
    made.grid(np.stack([across, 0.9 * rise**1.5 + lumps - 0.02, back], axis=-1), BANK, "Bank", "Earth")
    return made.mesh(ID_COLOURS)


def base_plane() -> Plane:
    """The base colour, sRGB 8 bit: a bed of silt with darker weed, brown earth with stones on the bank."""
    place = part_map(*river_mesh(), list(ID_COLOURS), SIDE, 8)
    shape = (SIDE, SIDE)
    silt, weed = layered(shape, (60.0, 90.0), 41), np.clip((layered(shape, (70.0, 50.0), 42) - 0.55) * 6, 0, 1)
    colour = float32(hex_to_encoded("#7d7a5c")) * (0.75 + 0.5 * silt[..., None])
    colour = colour * (1 - 0.45 * weed[..., None])
    stones = np.clip((layered(shape, (9.0, 11.0), 43, 2) - 0.6) * 8, 0, 1)[..., None]
    earth = float32(hex_to_encoded("#86684a")) * (0.7 + 0.6 * layered(shape, (14.0, 20.0), 44)[..., None])
    earth = earth * (1 - stones) + float32(hex_to_encoded("#9a948a")) * stones
    return Plane(to_levels8(float32(np.where((place == 1)[..., None], earth, colour))), Encoding.SRGB)


def ripples_plane() -> Plane:
    """Streaks of light on water, sRGB 8 bit; they tile."""
    fine = _tiling((2.0, 11.0), 45) * _tiling((5.0, 20.0), 46)
    return Plane(to_levels8(float32(np.repeat(np.clip(fine * 1.6, 0, 1)[..., None], 3, axis=2))), Encoding.SRGB)


def foam_plane() -> Plane:
    """Foam in patches of bubbles, sRGB 8 bit with opacity; it tiles."""
    patches, bubbles = _tiling((16.0, 26.0), 47), _tiling((1.6, 1.6), 48)
    alpha = np.clip((patches - 0.62) * 6, 0, 1) * np.clip((bubbles - 0.35) * 3, 0, 1)
    colour = np.broadcast_to(float32(hex_to_encoded("#eef0e6")), (TILE, TILE, 3))
    return Plane(to_levels8(np.dstack([colour, float32(alpha)])), Encoding.SRGB)


def _tiling(radii: tuple[float, float], seed: int) -> Floats:
    """Noise 0..1 whose edges meet."""
    noise = gaussian_filter(np.random.default_rng(seed).standard_normal((TILE, TILE)), radii, mode="wrap")
    return float32(np.clip(0.5 + noise / noise.std() * 0.25, 0, 1))


def dress(history: History, keys: dict[str, str]) -> None:
    """Water by the light of the hour; both layers go with one current, which the game sets; rain wets the bank."""
    water, bank = keys["water"], keys["bank"]
    colours = {
        "": "#3f6f6c",
        "morning_ferry": "#5c8a86",
        "night_post": "#1d2c3e",
        "harvest_barge": "#66703f",
        "ice_patrol": "#8fa9b4",
    }
    history.do(commands.set_choice(water, "mode", "luminance"))
    for variant, colour in colours.items():
        history.do(commands.set_cell_value(water, "colour", hex_to_encoded(colour), variant))
    ripples = _layer("ripples", (3.0, 3.0), (0.02, 0.12))
    history.do(commands.add_coat(water, Coat("blend", {"blending": "screen", "strength": 0.35}, {"colour": ripples})))
    foam = _layer("foam", (2.0, 3.0), (-0.03, 0.2))
    worn = Coat("blend", {"blending": "add", "opacity": "alpha", "strength": 0.6}, {"colour": foam})
    history.do(commands.add_coat(water, worn))
    history.do(commands.expose(water, "colour_speed_down", 2))
    current = history.kit.parameters[-1].key
    history.do(commands.rename_parameter(current, "current"))
    history.do(commands.set_parameter_kind(current, ValueKind.NUMBER, 0.0, 1.0))
    history.do(commands.bind(water, "colour_speed_down", current, 1))
    history.do(commands.set_parameter(current, 0.14))
    history.do(commands.set_parameter(current, 0.0, "ice_patrol"))
    history.do(commands.add_coat(water, Coat("finish", {"metalness": 0.0, "roughness": 0.12, "clear_coat": 0.6})))
    history.do(commands.set_coat_kind(bank, "shift"))
    wet(history, bank, "Wet ground")


def wet(history: History, owner: Owner, recipe: str) -> None:
    """A recipe of what rain does, by one parameter: paint turns darker and deeper, and shines."""
    first = len(history.kit.region(str(owner)).coats)
    history.do(commands.add_coat(owner, Coat("shift", {"space": "oklch", "saturation": 1.25, "brightness": -0.13})))
    shine: dict[str, Value] = {"way": "scale", "metalness": 1.0, "roughness": 0.3, "clear_coat": 1.0}
    history.do(commands.add_coat(owner, Coat("finish", shine)))
    there = [parameter.key for parameter in history.kit.parameters if parameter.name == "wetness"]
    if there:
        history.do(commands.bind(owner, "strength", there[0], first))
    else:
        history.do(commands.expose(owner, "strength", first))
        there = [history.kit.parameters[-1].key]
        history.do(commands.rename_parameter(there[0], "wetness"))
        history.do(commands.set_parameter(there[0], 0.15))
        history.do(commands.set_parameter(there[0], 1.0, "night_post"))
    history.do(commands.bind(owner, "strength", there[0], first + 1))
    history.do(commands.make_recipe(owner, recipe))


def _layer(name: str, tiling: tuple[float, float], speed: tuple[float, float]) -> PlaneUse:
    plane = PlaneRef(PlaneKind.MAP, name)
    return PlaneUse(plane, wrap=Wrap.REPEAT, tiling=tiling, speed=speed)
