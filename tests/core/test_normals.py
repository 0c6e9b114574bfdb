"""Normal maps: green up and down told apart, turned, and the third part of two; against normals of known surfaces."""

from pathlib import Path

import numpy as np
import pytest
from scipy.ndimage import gaussian_filter
from skimage import data

from even_palette import scripting
from even_palette.core.kit import commands
from even_palette.core.kit.history import History
from even_palette.core.raster.files import read_plane
from even_palette.core.raster.guess import Role
from even_palette.core.raster.normals import as_stored, points_down
from even_palette.core.raster.plane import Encoding
from even_palette.core.results.maps import plane_of_map
from even_palette.core.results.sheets import Sheets
from even_palette.demo import KIT_FOLDER
from tests.core.test_packages import add_map


def normals(height: np.ndarray, green_down: bool = False, kind: type = np.uint8) -> np.ndarray:
    """(n + 1) / 2 of a height field whose rows go down: n is (−∂h/∂x, ∂h/∂row, 1) with green up, made of length 1."""
    down, right = np.gradient(height)
    vectors = np.stack([-right, -down if green_down else down, np.ones_like(height)], axis=-1)
    vectors /= np.linalg.norm(vectors, axis=-1, keepdims=True)
    shares = vectors / 2 + 0.5
    return shares.astype(kind) if kind == np.float32 else (shares * np.iinfo(kind).max + 0.5).astype(kind)


SURFACES = {
    "noise": gaussian_filter(np.random.default_rng(3).normal(size=(97, 131)), 2.0) * 12,
    "dome": np.sqrt(np.maximum(1 - np.sum(np.indices((80, 90)).transpose(1, 2, 0) / 60 - 0.7, axis=-1) ** 2, 0)) * 30,
    "moon": gaussian_filter(data.moon().astype(float), 1.0)[:300, :300] / 8,
}
"""The photograph is of scikit-image; its brightness is taken for height."""


@pytest.mark.parametrize("kind", [np.uint8, np.uint16, np.float32])
@pytest.mark.parametrize("name", list(SURFACES))
def test_both_greens_are_told_apart(name: str, kind: type) -> None:
    for green_down in (False, True):
        samples = normals(SURFACES[name], green_down, kind)
        assert points_down(samples) is green_down
        assert points_down(samples[..., :2]) is green_down


def test_a_sheet_is_looked_at_beyond_its_empty_corner() -> None:
    """An atlas has flat room between its islands, often in a corner."""
    flat = np.full((700, 500, 3), (128, 128, 255), np.uint8)
    for green_down in (False, True):
        flat[350:650, 180:480] = normals(SURFACES["moon"], green_down, np.uint8)
        assert points_down(flat) is green_down


def test_what_is_no_surface_does_not_tell() -> None:
    flat = np.full((64, 64, 3), (128, 128, 255), np.uint8)
    noise = np.random.default_rng(1).integers(90, 166, (200, 200, 3)).astype(np.uint8)
    assert points_down(flat) is None
    assert points_down(noise) is None
    assert points_down(flat[:2]) is None


@pytest.mark.parametrize("kind", [np.uint8, np.uint16, np.float32])
def test_green_is_turned_and_the_third_part_found(kind: type) -> None:
    """Green down turned is green up, to a level; two parts give the third to two levels where it is steep."""
    up, down = (normals(SURFACES["noise"], way, kind) for way in (False, True))
    level = 1e-6 if kind == np.float32 else 1.0
    assert np.abs(as_stored(down, green_down=True).astype(float) - up).max() <= level
    assert np.array_equal(as_stored(as_stored(up, True), True), up) or kind == np.float32
    steep = 2e-6 if kind == np.float32 else 2.0
    assert np.abs(as_stored(up[..., :2], green_down=False).astype(float) - up).max() <= steep


def test_a_map_is_guessed_turned_and_known_by_that(history: History, tmp_path: Path) -> None:
    """Opened by a script it is told by its picture; what is read of it has green up; turned it is another plane."""
    with scripting.new_kit("Bumps") as kit:
        for green_down in (False, True):
            path = tmp_path / f"wall_{green_down}_normal.png"
            add_map(history, path, normals(SURFACES["moon"], green_down), Role.NONE, Encoding.DATA)
            key = kit.add_map(path)
            source = kit.at().sheet.map(key)
            assert source.green_down is green_down
            kit.do("set_role", kit.at().key, key, Role.NORMAL)
            seen = plane_of_map(kit.at().sheet.map(key), kit.results).samples
            assert np.abs(seen.astype(int) - normals(SURFACES["moon"])).max() <= 1
    key = history.kit.sheets[0].sources[-1].key
    history.do(commands.set_role("sheet_1", key, Role.NORMAL))
    sheets, planes = Sheets(), []
    for on in (False, True):
        history.do(commands.set_green_down("sheet_1", key, on))
        planes.append(plane_of_map(history.kit.sheets[0].map(key), sheets))
    assert planes[0].content_id != planes[1].content_id


def test_the_demo_says_up() -> None:
    for name in ("ferry_tug_normal", "quay_wall_surfaces_normal"):
        assert points_down(read_plane(KIT_FOLDER / "maps" / f"{name}.png", Encoding.DATA).samples) is False


@pytest.mark.parametrize("kind", [np.uint8, np.uint16, np.float32])
@pytest.mark.parametrize("channels", [2, 3])
def test_strength_multiplies_slopes(kind: type, channels: int) -> None:
    """Slopes x/z and y/z times the factor, normals of length 1; 1 changes nothing, 0 is flat; a height field that is
    twice as high has twice the slopes."""
    rng = np.random.default_rng(4)
    slopes = rng.normal(0, 0.4, (37, 53, 2))
    normals = np.dstack([slopes, np.ones((37, 53))])
    normals /= np.linalg.norm(normals, axis=-1, keepdims=True)
    most = 1.0 if kind is np.float32 else float(np.iinfo(kind).max)
    stored = ((normals * 0.5 + 0.5) * most + (0 if kind is np.float32 else 0.5)).astype(kind)[..., :channels]
    step = 0.0 if kind is np.float32 else 1 / most
    for strength in (0.0, 0.5, 2.0, 4.0):
        made = as_stored(stored, False, strength) / most * 2 - 1
        wanted = np.dstack([slopes * strength, np.ones((37, 53))])
        wanted /= np.linalg.norm(wanted, axis=-1, keepdims=True)
        assert np.abs(made - wanted).max() <= 3 * step * max(1, strength) + 2e-3 * (channels == 2) + 1e-5
        assert np.abs(np.linalg.norm(made, axis=-1) - 1).max() <= 3 * step + 1e-5
    assert np.array_equal(as_stored(stored, False, 1.0), as_stored(stored, False))
