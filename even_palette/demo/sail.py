"""The tattered sail: thin cloth with soft holes and a frayed edge, hung from a yard."""

from functools import cache

import numpy as np

from even_palette.core.arrays import Floats, float32
from even_palette.core.colour.hexcode import Rgb8, hex_to_encoded
from even_palette.core.mesh.model import Mesh
from even_palette.core.raster.plane import Encoding, Plane, to_levels8
from even_palette.demo.noise import layered
from even_palette.demo.shapes import Modeller, part_map

SIDE = 512
CLOTH, YARD = (6.0, 40.0, 506.0, 506.0), (6.0, 6.0, 506.0, 28.0)
ID_COLOURS: dict[str, Rgb8] = {"Cloth": (220, 200, 150), "Yard": (120, 80, 40)}


@cache
def sail_mesh() -> tuple[Mesh, tuple[str, ...]]:
    """The mesh, and the part of each face."""
    made = Modeller(SIDE)
    across, down = np.meshgrid(np.linspace(-1, 1, 21), np.linspace(0, 1, 17))
    belly = 0.34 * (1 - across**2) * np.sin(np.pi * down * 0.8) + 0.05 * np.sin(across * 7) * down
    points = np.stack([across * (1 - 0.12 * down), 1.9 - 1.5 * down - 0.06 * across**2, belly], axis=-1)
    made.grid(points, CLOTH, "Cloth", "Cloth")
    path = np.stack([np.linspace(-1.12, 1.12, 9), np.full(9, 1.92), np.zeros(9)], axis=-1)
    made.tube(path, 0.045 - 0.018 * np.abs(np.linspace(-1, 1, 9)), YARD, "Yard", "Wood")
    return made.mesh(ID_COLOURS)


def _cloth_alpha() -> Floats:
    """Opacity of the cloth over the sheet, (SIDE, SIDE): thin between the threads, softly torn, frayed below."""
    shape = (SIDE, SIDE)
    row, column = np.mgrid[:SIDE, :SIDE].astype(np.float32)
    threads = 0.5 + 0.25 * (np.sin(row * 1.9) + np.sin(column * 1.9)) * 0.5
    worn, torn = layered(shape, (90.0, 60.0), 31), layered(shape, (34.0, 26.0), 32)
    alpha = 0.80 + 0.16 * threads - 0.30 * worn
    holes = np.clip((torn - 0.66) / 0.10, 0, 1) * np.clip((row - 150) / 120, 0, 1)
    edge = 470 + 30 * layered(shape, (400.0, 9.0), 33) - 46 * np.abs(layered(shape, (300.0, 40.0), 34) - 0.5)
    return float32(np.clip(alpha, 0, 1) * (1 - holes) * np.clip((edge - row) / 22, 0, 1))


def base_plane() -> Plane:
    """The base colour with opacity, sRGB 8 bit: bleached canvas with seams, a dark yard."""
    place = part_map(*sail_mesh(), list(ID_COLOURS), SIDE, 8)
    weave = layered((SIDE, SIDE), (3.0, 3.0), 35)
    column = np.arange(SIDE, dtype=np.float32)[None, :]
    seam = np.exp(-(((column - 6) % 100 - 50) ** 2) / 8.0)
    stains = layered((SIDE, SIDE), (120.0, 70.0), 36)
    colour = np.empty((SIDE, SIDE, 3), np.float32)
    colour[:] = float32(hex_to_encoded("#c9bd9c"))
    colour *= (0.80 + 0.20 * weave - 0.25 * seam - 0.18 * stains)[..., None]
    wood = place == 1
    colour[wood] = (float32(hex_to_encoded("#6a4a30")) * (0.7 + 0.6 * weave[..., None]))[wood]
    alpha = np.where(wood, 1.0, _cloth_alpha())
    return Plane(to_levels8(np.dstack([colour, float32(alpha)])), Encoding.SRGB)
