"""The quay wall: regions that are covered with tiling surfaces of an atlas, moss by height between the stones."""

import numpy as np
from scipy.ndimage import gaussian_filter

from even_palette.core.arrays import Floats, Levels, float32
from even_palette.core.colour.hexcode import Rgb8, hex_to_encoded
from even_palette.core.raster.plane import Encoding, Plane, to_levels8

WIDTH, HEIGHT = 512, 256
CELL = 128
ID_COLOURS: dict[str, Rgb8] = {"Wall": (210, 60, 60), "Coping": (60, 120, 220)}
COPING = 44
"""Rows of the coping at the top."""


def base_plane() -> Plane:
    """Bare mortar with light and dark, which the surfaces are multiplied onto or take the place of."""
    tone = 0.86 + 0.2 * _noise((HEIGHT, WIDTH), 18, 1) + 0.12 * _noise((HEIGHT, WIDTH), 3, 2)
    tone *= np.linspace(1.06, 0.82, HEIGHT)[:, None]
    return Plane(to_levels8(float32(hex_to_encoded("#9d978a")) * float32(tone)[..., None]), Encoding.SRGB)


def id_plane() -> Plane:
    """Wall and coping, with a soft edge."""
    rows = np.clip((np.arange(HEIGHT) - COPING + 0.5) / 2 + 0.5, 0, 1)[:, None, None]
    wall, coping = (float32(ID_COLOURS[name]) for name in ("Wall", "Coping"))
    ids = coping * (1 - rows) + wall * rows
    return Plane(np.broadcast_to(np.round(ids), (HEIGHT, WIDTH, 3)).astype(np.uint8).copy(), Encoding.DATA)


def atlas_plane() -> Plane:
    """Two by two cells that tile: ashlar, brick, moss, planks."""
    cells = [_ashlar(), _brick(), _moss(), _planks()]
    return Plane(np.concatenate([np.concatenate(cells[:2], axis=1), np.concatenate(cells[2:], axis=1)]), Encoding.SRGB)


def normal_plane() -> Plane:
    """The normals of the same cells, green up, from how far what they show stands out."""
    y, x = np.mgrid[:CELL, :CELL]
    course = y // 16
    across, down = (x + (course % 2) * 16) % 32, y % 16
    edge = np.minimum(np.minimum(across, 32 - across), np.minimum(down, 16 - down))
    heights = (
        _stones(CELL, CELL) + _noise((CELL, CELL), 2, 3) * 0.2,
        np.clip((edge - 1) / 2, 0, 1) + _noise((CELL, CELL), 1.5, 6) * 0.2,
        _noise((CELL, CELL), 2.5, 8) * 1.2 + _noise((CELL, CELL), 9, 9) * 0.8,
        np.clip((np.minimum(x % 32, 31 - x % 32) - 1) / 2, 0, 1),
    )
    cells = [_normals(float32(gaussian_filter(height, 0.7, mode="wrap"))) for height in heights]
    return Plane(np.concatenate([np.concatenate(cells[:2], axis=1), np.concatenate(cells[2:], axis=1)]), Encoding.DATA)


def _normals(height: Floats) -> Levels:
    """Normals of a cell that tiles, as maps store them."""
    right, below = (np.roll(height, -1, axis) - np.roll(height, 1, axis) for axis in (1, 0))
    normal = np.stack([-right, below, np.ones_like(height)], axis=-1)
    return to_levels8(float32(normal / np.linalg.norm(normal, axis=-1, keepdims=True) * 0.5 + 0.5))


def height_plane() -> Plane:
    """How far stones stand out of the wall, 0..1: in step with the ashlar as the wall wears it, four times across."""
    high = np.tile(_stones(HEIGHT // 4, WIDTH // 4), (4, 4))
    return Plane(
        to_levels8(float32(0.15 + 0.7 * high + 0.15 * _noise((HEIGHT, WIDTH), 5, 7)))[..., None], Encoding.DATA
    )


def _noise(shape: tuple[int, int], radius: float, seed: int) -> Floats:
    """Noise that tiles, about 0 with a standard deviation of 0.3."""
    noise = gaussian_filter(np.random.default_rng(seed).standard_normal(shape), radius, mode="wrap")
    return float32(noise / noise.std() * 0.3)


def _stones(height: int, width: int) -> Floats:
    """1 on stones of two courses, 0 in the joints between them; it tiles."""
    y, x = np.mgrid[:height, :width]
    course = y // (height // 2)
    across = (x + course * width // 3) % (width // 2)
    down = y % (height // 2)
    edge = np.minimum(np.minimum(across, width // 2 - across), np.minimum(down, height // 2 - down))
    return float32(np.clip((edge - 2) / 4, 0, 1))


def _painted(hex_: str, tone: np.ndarray) -> Levels:
    return to_levels8(float32(hex_to_encoded(hex_)) * float32(tone)[..., None])


def _ashlar() -> Levels:
    stone = _stones(CELL, CELL)
    grain = _noise((CELL, CELL), 2, 3) * 0.3 + _noise((CELL, CELL), 10, 4) * 0.3
    return _painted("#8e897c", (0.55 + 0.45 * stone) * (1 + grain))


def _brick() -> Levels:
    y, x = np.mgrid[:CELL, :CELL]
    course = y // 16
    across, down = (x + (course % 2) * 16) % 32, y % 16
    joint = (np.minimum(across, 32 - across) < 2) | (np.minimum(down, 16 - down) < 2)
    shade = np.random.default_rng(5).uniform(0.8, 1.15, (8, 4))[course % 8, (x + (course % 2) * 16) // 32 % 4]
    return _painted("#8a4b38", np.where(joint, 0.6, shade) * (1 + _noise((CELL, CELL), 1.5, 6) * 0.25))


def _moss() -> Levels:
    return _painted("#5f6f33", 0.85 + _noise((CELL, CELL), 2.5, 8) * 0.5 + _noise((CELL, CELL), 9, 9) * 0.4)


def _planks() -> Levels:
    x = np.arange(CELL)
    gap = np.where(x % 32 < 2, 0.45, 1.0)[None, :]
    board = np.random.default_rng(10).uniform(0.85, 1.1, 4)[x // 32][None, :]
    grain = gaussian_filter(np.random.default_rng(11).standard_normal((CELL, CELL)), (20, 1), mode="wrap")
    return _painted("#7d6448", gap * board * (1 + grain / grain.std() * 0.09))
