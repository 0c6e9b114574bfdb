"""The reed clump: cards of blades that are cut out, and seed heads; each a shell whose sheet runs from root to tip."""

from functools import cache

import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.colour.hexcode import Rgb8, hex_to_encoded
from even_palette.core.mesh.model import Mesh
from even_palette.core.raster.plane import Encoding, Plane, to_levels8
from even_palette.demo.noise import layered
from even_palette.demo.shapes import Modeller, part_map

SIDE = 512
CARDS, STALKS = 14, 7
BLADES = 5
"""Painted on each card."""
ID_COLOURS: dict[str, Rgb8] = {"Blades": (80, 190, 70), "Heads": (150, 90, 50), "Stalks": (210, 200, 90)}


@cache
def reed_mesh() -> tuple[Mesh, tuple[str, ...]]:
    """The mesh, and the part of each face."""
    made = Modeller(SIDE)
    rng = np.random.default_rng(77)
    for number in range(CARDS):
        turn, lean = number * 2.4 + rng.random() * 0.5, 0.08 + 0.30 * rng.random()
        tall = 1.25 + 0.6 * rng.random()
        root = 0.22 * np.sqrt(rng.random()) * np.array([np.cos(turn * 3), 0, np.sin(turn * 3)])
        t = np.linspace(1, 0, 9)
        outward = np.array([np.cos(turn), 0, np.sin(turn)])
        line = (
            root
            + outward * (lean * tall * t**2)[:, None]
            + np.array([0, 1, 0]) * (tall * (t - 0.18 * lean * t**3))[:, None]
        )
        across = np.array([-np.sin(turn), 0, np.cos(turn)]) * (0.10 + 0.14 * t)[:, None]
        made.grid(np.stack([line - across, line + across], axis=1), _card(number), "Blades", "Leaf")
    for number in range(STALKS):
        turn, tall = rng.random() * 2 * np.pi, 1.7 + 0.5 * rng.random()
        root = 0.2 * np.sqrt(rng.random()) * np.array([np.cos(turn), 0, np.sin(turn)])
        tip = root + np.array([0.16 * np.cos(turn), tall, 0.16 * np.sin(turn)])
        path = np.linspace(root, tip, 5)
        left = 6 + 72 * number
        _upright(made, path, np.full(5, 0.012), (left, 386, left + 24, 502), "Stalks", "Leaf")
        ahead = (tip - root) / np.linalg.norm(tip - root)
        head = np.linspace(tip - ahead * 0.02, tip + ahead * 0.26, 6)
        _upright(
            made,
            head,
            np.array([0.008, 0.036, 0.040, 0.040, 0.034, 0.006]),
            (left + 30, 386, left + 62, 502),
            "Heads",
            "Seed",
        )
    return made.mesh(ID_COLOURS)


def _card(number: int) -> tuple[float, float, float, float]:
    """The rectangle of a card on the sheet, in texels."""
    row, column = divmod(number, 7)
    left, top = 6 + 72 * column, 6 + 190 * row
    return left, top, left + 66, top + 178


def _upright(
    made: Modeller, path: Samples, radius: Samples, at: tuple[float, float, float, float], part: str, slot: str
) -> None:
    """A tube whose root lies at the lower edge of the rectangle."""
    angle = np.linspace(0, 2 * np.pi, 7)
    angle[-1] = 0.0
    ring = np.stack([np.cos(angle), np.zeros(7), -np.sin(angle)], axis=-1)
    made.grid(path[::-1, None] + ring[None] * radius[::-1, None, None], at, part, slot)


def _blades() -> tuple[Floats, Floats]:
    """Of all cards, how much of a texel is a blade, and how bright that one is; (SIDE, SIDE) each."""
    alpha, shade = np.zeros((SIDE, SIDE), np.float32), np.ones((SIDE, SIDE), np.float32)
    rng = np.random.default_rng(78)
    for number in range(CARDS):
        left, top, right, bottom = map(int, _card(number))
        rows, columns = np.mgrid[top:bottom, left:right] + 0.5
        up, across = (bottom - rows) / (bottom - top), columns - (left + right) / 2
        nearest = np.full(rows.shape, np.inf)
        for blade in range(BLADES):
            root, lean = (blade - 2) * 10 + rng.uniform(-3, 3), rng.uniform(-14, 14)
            tall, wide = rng.uniform(0.6, 0.98), rng.uniform(2.6, 4.6)
            bright = rng.uniform(0.78, 1.18)
            away = np.abs(across - root * (0.55 + 0.45 * up) - lean * up**2)
            half = wide * np.sqrt(np.clip(1 - up / tall, 0, 1))
            beyond = away - half
            closer = beyond < nearest
            nearest = np.where(closer, beyond, nearest)
            shade[top:bottom, left:right][closer] = bright
        alpha[top:bottom, left:right] = np.clip(0.5 - nearest, 0, 1)
    return alpha, shade


def base_plane() -> Plane:
    """The base colour with opacity, sRGB 8 bit: grey-green blades that dry towards the tip, brown heads.

    Beside the blades the colour goes on, so that no filter shows a fringe.
    """
    place = part_map(*reed_mesh(), list(ID_COLOURS), SIDE, 8)
    shape = (SIDE, SIDE)
    vein = layered(shape, (80.0, 3.0), 5)
    alpha, shade = _blades()
    colour = np.empty((*shape, 3), dtype=np.float32)
    colour[:] = float32(hex_to_encoded("#5c5a44"))
    row = np.arange(SIDE, dtype=np.float32)[:, None]
    tip = np.clip(1 - ((row - 6) % 190) / 178, 0, 1)[..., None] * np.ones((1, SIDE, 1), dtype=np.float32)
    blade = float32(float32(hex_to_encoded("#6f8a55")) * (1 - tip**3) + float32(hex_to_encoded("#b59a62")) * tip**3)
    blade *= shade[..., None]
    plain = [np.broadcast_to(float32(hex_to_encoded(paint)), blade.shape) for paint in ("#7b5536", "#9a9560")]
    for number, own in enumerate((blade, *plain)):
        inside = place == number
        colour[inside] = (own * (0.75 + 0.5 * vein[..., None]))[inside]
    whole = np.where(place == 0, alpha, 1.0)
    return Plane(to_levels8(np.dstack([colour, float32(whole)])), Encoding.SRGB)
