"""How UVs lie as lines: every texel against the distance to every edge."""

import numpy as np
import pytest

from even_palette.core.arrays import Floats
from even_palette.core.mesh.raster import SUBTEXEL
from even_palette.core.mesh.uv_lines import uv_lines


def by_distance(uv: Floats, width: int, height: int, thickness: float) -> np.ndarray:
    """Each texel's distance to each edge, one edge at a time."""
    rows, columns = np.mgrid[:height, :width] + 0.5
    at = np.stack([columns, rows], axis=-1)
    nearest = np.full((height, width), np.inf)
    corners = np.rint(uv.astype(np.float64) * (width * SUBTEXEL, height * SUBTEXEL)) / SUBTEXEL
    for face in corners:
        for one, other in ((0, 1), (1, 2), (2, 0)):
            along = face[other] - face[one]
            length = along @ along
            if not length:
                continue
            share = np.clip(((at - face[one]) @ along) / length, 0, 1)
            nearest = np.minimum(nearest, np.hypot(*np.moveaxis(at - face[one] - share[..., None] * along, -1, 0)))
    return np.clip(thickness / 2 + 0.5 - nearest, 0, 1)


@pytest.mark.parametrize(("width", "height"), [(64, 64), (97, 41), (5, 130)])
@pytest.mark.parametrize("thickness", [1.0, 2.5])
def test_lines_of_triangles_by_chance(width: int, height: int, thickness: float) -> None:
    """Also across the border, level, upright, and without extent."""
    rng = np.random.default_rng(9)
    uv = (rng.random((24, 3, 2)) * 1.6 - 0.3).astype(np.float32)
    uv[0, :, 1] = 0.5
    uv[1, :, 0] = 0.25
    uv[2, :] = (0.4, 0.6)
    made = uv_lines(uv, width, height, thickness)
    assert np.abs(made - by_distance(uv, width, height, thickness)).max() <= 1e-5


def test_what_has_no_place_is_not_drawn() -> None:
    """No numbers, and faces that leave all tiles, are drawn nowhere."""
    uv = np.full((2, 3, 2), np.nan, np.float32)
    uv[1] = 1e9
    assert uv_lines(uv, 16, 16).max() == 0
    assert uv_lines(np.zeros((0, 3, 2), np.float32), 16, 9).shape == (9, 16)
