"""The wharf tree: a trunk with boughs and a crown of leaf cards, which vary apart from one tree to the next."""

from functools import cache

import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.colour.hexcode import Rgb8, hex_to_encoded
from even_palette.core.kit import commands
from even_palette.core.kit.history import History
from even_palette.core.material.model import Coat, Value
from even_palette.core.mesh.model import Mesh
from even_palette.core.raster.plane import Encoding, Plane, to_levels8
from even_palette.demo.noise import layered
from even_palette.demo.river import wet
from even_palette.demo.shapes import Modeller, Texels, part_map

SIDE = 512
BARK: Texels = (6.0, 356.0, 506.0, 506.0)
CARDS, ACROSS = 96, 3
CARD = 160
ID_COLOURS: dict[str, Rgb8] = {"Crown": (90, 170, 60), "Trunk": (120, 90, 70)}
BOUGHS = (((0.7, 3.0, 0.3), 0.95), ((-0.8, 3.1, 0.1), 1.0), ((0.1, 3.3, -0.8), 0.9), ((-0.1, 3.8, 0.4), 1.05))
"""Where the boughs end, in metres, and how far leaves reach around there."""


@cache
def tree_mesh() -> tuple[Mesh, tuple[str, ...]]:
    """The mesh, and the part of each face."""
    made = Modeller(SIDE)
    t = np.linspace(0, 1, 9)
    fork = np.array([0.05, 1.9, 0.0])
    trunk = fork * t[:, None] + np.stack([0.10 * np.sin(t * 3), 0 * t, 0.05 * np.sin(t * 5)], axis=-1)
    left, top, _, bottom = BARK
    made.tube(trunk, 0.20 - 0.07 * t, (left, top, left + 240, bottom), "Trunk", "Bark")
    for number, (end, _) in enumerate(BOUGHS):
        path = (
            trunk[-1]
            + (np.array(end) - trunk[-1]) * t[::2, None]
            + np.array([0, 0.12, 0]) * np.sin(t[::2] * 3)[:, None]
        )
        own = (left + 246 + 64 * number, top, left + 304 + 64 * number, bottom)
        made.tube(path, 0.11 - 0.08 * t[::2], own, "Trunk", "Bark", 6)
    rng = np.random.default_rng(91)
    for number in range(CARDS):
        end, reach = BOUGHS[number % len(BOUGHS)]
        out = rng.standard_normal(3)
        out /= np.linalg.norm(out)
        centre = np.array(end) + out * reach * (0.55 + 0.45 * rng.random()) * np.array([1, 0.75, 1])
        made.grid(_card(centre, out, 0.42 + 0.16 * rng.random(), rng), _place(number), "Crown", "Leaf")
    return made.mesh(ID_COLOURS)


def _card(centre: Samples, out: Samples, half: float, rng: np.random.Generator) -> Samples:
    """A square whose face looks about outwards, (2, 2, 3)."""
    facing = out + rng.standard_normal(3) * 0.35
    facing /= np.linalg.norm(facing)
    right = np.cross((0.0, 1.0, 0.0), facing)
    right /= max(float(np.linalg.norm(right)), 1e-6)
    down = np.cross(right, facing)
    rows = [[centre + down * y * half + right * x * half for x in (-1, 1)] for y in (-1, 1)]
    return np.array(rows)


def _place(number: int) -> Texels:
    """The rectangle of a card on the sheet; many cards show the same leaves."""
    row, column = divmod(number % (2 * ACROSS), ACROSS)
    left, top = 6 + 169 * column, 6 + 174 * row
    return left, top, left + CARD, top + CARD


def _leaves() -> tuple[Floats, Floats]:
    """How much of a texel is a leaf, and how bright that one is; (SIDE, SIDE) each."""
    alpha, shade = np.zeros((SIDE, SIDE), np.float32), np.ones((SIDE, SIDE), np.float32)
    rng = np.random.default_rng(92)
    for number in range(2 * ACROSS):
        left, top, right, bottom = map(int, _place(number))
        rows, columns = np.mgrid[top:bottom, left:right] + 0.5
        for leaf in range(54):
            turn, away = rng.uniform(0, 2 * np.pi), 0.42 * CARD * np.sqrt(rng.random())
            x = (left + right) / 2 + away * np.cos(turn)
            y = (top + bottom) / 2 + away * np.sin(turn)
            lies = turn + rng.uniform(-0.8, 0.8)
            along = (columns - x) * np.cos(lies) + (rows - y) * np.sin(lies)
            across = -(columns - x) * np.sin(lies) + (rows - y) * np.cos(lies)
            long, wide = rng.uniform(9, 14), rng.uniform(4, 6)
            covered = np.clip(0.5 + wide * (1 - (along / long) ** 2) - np.abs(across), 0, 1) * (np.abs(along) < long)
            bright = (0.62 + 0.5 * leaf / 54) * rng.uniform(0.9, 1.1) * (1 - 0.18 * np.exp(-(across**2)))
            seen = covered > 0.5
            shade[top:bottom, left:right][seen] = bright[seen]
            alpha[top:bottom, left:right] = np.maximum(alpha[top:bottom, left:right], covered)
    return alpha, shade


def base_plane() -> Plane:
    """The base colour with opacity, sRGB 8 bit: leaves that lie over each other, furrowed bark."""
    place = part_map(*tree_mesh(), list(ID_COLOURS), SIDE, 8)
    alpha, shade = _leaves()
    crown = float32(hex_to_encoded("#67793f")) * shade[..., None]
    furrows = layered((SIDE, SIDE), (5.0, 40.0), 93)
    bark = float32(hex_to_encoded("#7a6654")) * (0.55 + 0.9 * furrows[..., None])
    wood = place == list(ID_COLOURS).index("Trunk")
    colour = np.where(wood[..., None], bark, crown)
    return Plane(to_levels8(np.dstack([float32(colour), float32(np.where(wood, 1.0, alpha))])), Encoding.SRGB)


def dress(history: History, keys: dict[str, str]) -> None:
    """Crown and trunk draw apart; dust lies on leaves by one parameter, and rain wets the bark."""
    crown, trunk = keys["crown"], keys["trunk"]
    by_chance: dict[str, Value] = {
        "mode": "luminance", "chance": "instance", "hue_range": 22.0, "saturation_range": 0.25, "lightness_range": 0.05,
    }  # fmt: skip
    for name, value in by_chance.items():
        if isinstance(value, str):
            history.do(commands.set_choice(crown, name, value))
        else:
            history.do(commands.set_cell_value(crown, name, value))  # type: ignore[arg-type]
    colours = {
        "": "#6d7a3c",
        "morning_ferry": "#7f8f4a",
        "night_post": "#3c4a3a",
        "harvest_barge": "#b3752c",
        "ice_patrol": "#a9b09a",
    }
    for variant, colour in colours.items():
        history.do(commands.set_cell_value(crown, "colour", hex_to_encoded(colour), variant))
    dust: dict[str, Value] = {"colour": hex_to_encoded("#b7a684"), "strength": 0.1}
    history.do(commands.add_coat(crown, Coat("repaint", dust)))
    history.do(commands.add_coat(crown, Coat("finish", {"metalness": 0.0, "roughness": 0.85})))
    history.do(commands.expose(crown, "strength", 1))
    history.do(commands.rename_parameter(history.kit.parameters[-1].key, "dust"))
    history.do(commands.set_cell_value(crown, "strength", 0.45, "harvest_barge", 1))
    history.do(commands.make_recipe(crown, "Dusty leaves"))
    history.do(commands.set_coat_kind(trunk, "shift"))
    history.do(commands.set_choice(trunk, "chance", "instance"))
    for name, most in (("hue_range", 8.0), ("lightness_range", 0.07)):
        history.do(commands.set_cell_value(trunk, name, most))
    wet(history, trunk, "Wet bark")
