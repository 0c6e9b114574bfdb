"""The oar and the crate: a mesh of two objects on one sheet, and a painted ID map with soft edges and honest flaws."""

from functools import cache

import numpy as np

from even_palette.core.arrays import Bools, Floats, Samples, float32
from even_palette.core.colour.hexcode import Rgb8, hex_to_encoded
from even_palette.core.mesh.model import Mesh
from even_palette.core.raster.plane import Encoding, Plane, to_levels8
from even_palette.demo.noise import layered, soften, value_noise
from even_palette.demo.shapes import Modeller, part_map

SIDE = 512
BACKGROUND: Rgb8 = (16, 16, 16)
ID_COLOURS: dict[str, Rgb8] = {
    "Boards": (200, 120, 60),
    "Irons": (70, 90, 190),
    "Shaft": (220, 200, 60),
    "Blade": (60, 180, 110),
    "Grip": (170, 60, 170),
}
PAINTS = {"Boards": "#a9825a", "Irons": "#6c6f74", "Shaft": "#b4976a", "Blade": "#c9bfa6", "Grip": "#6f4a35"}
REACH = 8


def cargo_mesh() -> tuple[Mesh, tuple[str, ...]]:
    """The mesh, and the part of each face."""
    made = Modeller(SIDE)
    _crate(made)
    _oar(made)
    return made.mesh(ID_COLOURS)


def _crate(made: Modeller) -> None:
    """A box of three boards a side with angle irons along its four upright edges."""
    half, low, high = 0.5, 0.0, 0.9
    sides = [((half, 0, half), (half, 0, -half)), ((half, 0, -half), (-half, 0, -half)),
             ((-half, 0, -half), (-half, 0, half)), ((-half, 0, half), (half, 0, half))]  # fmt: skip
    for number, (start, end) in enumerate(sides):
        for board in range(3):
            top = high - (high - low) * board / 3 - 0.004
            bottom = high - (high - low) * (board + 1) / 3 + 0.004
            inset = np.where(
                np.equal(start, end), 1.0, (0.994, 1.0, 0.994)
            )  # boards of two sides do not meet: each is a shell
            corners = [[inset * (x, y, z) for x, _, z in (start, end)] for y in (top, bottom)]
            column, row = 8 + 124 * number, 8 + 36 * board
            made.grid(_denser(np.array(corners)), (column, row, column + 116, row + 30), "Boards", "Wood")
    for face, (level, turned) in enumerate(((high, False), (low, True))):
        for board in range(3):
            left, right = -half + board / 3 + 0.004, -half + (board + 1) / 3 - 0.004
            flat = [[(left, level, -half), (right, level, -half)], [(left, level, half), (right, level, half)]]
            column = 8 + 124 * face + 40 * board
            made.grid(_denser(np.array(flat)), (column, 124, column + 34, 230), "Boards", "Wood", turned=turned)
    for number in range(4):
        x, z = (half, half, -half, -half)[number], (half, -half, -half, half)[number]
        inner_x, inner_z = x - 0.16 * np.sign(x), z - 0.16 * np.sign(z)
        out = 0.012
        ring = [
            (inner_x, z + out * np.sign(z)),
            (x + out * np.sign(x), z + out * np.sign(z)),
            (x + out * np.sign(x), inner_z),
        ]
        if number % 2:
            ring = ring[::-1]
        points = np.array([[(a, y, b) for a, b in ring] for y in (high + out, low - out)])
        left = 260 + 60 * number
        made.grid(points, (left, 124, left + 52, 230), "Irons", "Iron", turned=False)


def _denser(corners: Samples) -> Samples:
    """A rectangle of (2, 2, 3) points as (2, 5, 3)."""
    t = np.linspace(0, 1, 5)[None, :, None]
    return np.asarray(corners[:, :1] * (1 - t) + corners[:, 1:] * t)


def _oar(made: Modeller) -> None:
    """Leans on the crate: a shaft with a grip above and a flat blade below."""
    foot, top = np.array([0.95, 0.05, 0.35]), np.array([0.62, 2.35, -0.10])
    ahead = (top - foot) / np.linalg.norm(top - foot)

    def at(t: Samples) -> Samples:
        return np.asarray(foot + (top - foot) * t[:, None])

    made.tube(at(np.linspace(0.26, 0.85, 9)), np.linspace(0.036, 0.030, 9), (8, 250, 504, 290), "Shaft", "Wood", 8)
    made.tube(
        at(np.linspace(0.852, 1.0, 4)), np.array([0.038, 0.036, 0.038, 0.042]), (8, 306, 160, 346), "Grip", "Leather", 8
    )
    across = np.cross(ahead, (0.0, 0.0, 1.0))
    across /= np.linalg.norm(across)
    facing = np.cross(across, ahead)
    for sign, left in ((1, 180), (-1, 344)):
        t = np.linspace(0.27, 0.0, 9)
        width = 0.13 * np.sin(np.clip((0.30 - t) / 0.30, 0, 1) * np.pi * 0.78) ** 0.7 + 0.03
        line = foot + (top - foot) * t[:, None]
        bulge = 0.018 * np.sin(np.linspace(0, np.pi, 5))
        points = (line[:, None] + across * (np.linspace(-1, 1, 5)[None, :, None] * width[:, None, None]) * sign
                  + facing * sign * bulge[None, :, None])  # fmt: skip
        made.grid(points, (left, 306, left + 150, 500), "Blade", "Wood")


@cache
def _places() -> Samples:
    return part_map(*cargo_mesh(), list(ID_COLOURS), SIDE, REACH)


def _shape(part: str) -> Bools:
    return np.asarray(_places() == list(ID_COLOURS).index(part))


def id_plane() -> Plane:
    """The painted ID map: flat colours with edges about a texel soft, and flaws that a painter leaves."""
    levels = np.empty((SIDE, SIDE, 3), dtype=np.float32)
    levels[:] = BACKGROUND
    for part, colour in ID_COLOURS.items():
        levels[_shape(part)] = colour
    rng = np.random.default_rng(41)
    for _ in range(14):  # crumbs of a wrong colour on the boards
        x, y, size = int(rng.integers(20, 480)), int(rng.integers(14, 110)), int(rng.integers(1, 4))
        levels[y : y + size, x : x + size] = (120, 150, 40)
    y, x = np.mgrid[0:SIDE, 0:SIDE]
    levels[((x - 70) / 14) ** 2 + ((y - 60) / 6) ** 2 < 1] = BACKGROUND  # a hole
    levels[(np.abs((y - 400) - (x - 230) * 0.3) < 3) & (x > 200) & (x < 290)] = (96, 170, 150)  # a smear
    softened = np.stack([soften(levels[..., c], 0.75) for c in range(3)], axis=-1)
    return Plane(np.asarray(softened + 0.5, dtype=np.uint8), Encoding.DATA)


def base_plane() -> Plane:
    """The base colour, sRGB 8 bit: grain, worn edges and rivets."""
    shape = (SIDE, SIDE)
    grain = layered(shape, (3.0, 60.0), 23)
    wear = layered(shape, (20.0, 26.0), 29, 4)
    colour = np.empty((*shape, 3), dtype=np.float32)
    colour[:] = float32(hex_to_encoded("#7a6248")) * (0.8 + 0.4 * grain[..., None])
    for index, (part, paint) in enumerate(PAINTS.items()):
        inside = soften(float32(_shape(part)), 0.6)[..., None]
        tone = 0.80 + 0.34 * grain + 0.10 * value_noise(shape, (30.0, 90.0), 60 + index)
        worn = np.clip((wear - 0.68) * 10, 0, 1)[..., None] * 0.6
        own = float32(hex_to_encoded(paint)) * _banded(part, tone)[..., None]
        colour = colour * (1 - inside) + (own * (1 - worn) + colour * worn) * inside
    return Plane(to_levels8(float32(colour)), Encoding.SRGB)


def _banded(part: str, tone: Floats) -> Floats:
    """Windings on the grip, rivets on the irons, the tube's light and dark on the shaft."""
    y, x = np.mgrid[0:SIDE, 0:SIDE].astype(np.float32)
    match part:
        case "Grip":
            return float32(tone * (0.75 + 0.35 * np.sin(x * 0.5 + y * 0.2)))
        case "Irons":
            return float32(tone * (1 + 0.4 * np.clip(3 - np.hypot((x - 260) % 30 - 13, (y - 124) % 26 - 13), 0, 1)))
        case "Shaft":
            return float32(tone * (0.72 + 0.34 * np.sin(np.clip((y - 250) / 40, 0, 1) * np.pi)))
        case _:
            return tone
