"""Mips against an area mean that this project did not make, of odd sizes above all; and edge pairs within memory."""

import subprocess
import sys

import numpy as np
import pytest
from skimage.transform import resize_local_mean

from even_palette.core.memory_account import Account, Kept
from even_palette.core.raster import chain
from even_palette.core.raster.chain import Chain
from even_palette.core.raster.mips import halved, level_count, own_levels, parts_of
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.tiles import TiledPlane, grid_of
from even_palette.core.regions import edge_pairs
from even_palette.core.regions.edge_pairs import decode_pairs, encode_pairs, pyramid, pyramid_place, rows_of

RNG = np.random.default_rng(4)
SIZES = [(37, 53), (1, 1), (1, 7), (5, 1), (3, 3), (64, 64), (601, 777), (512, 300), (96, 258), (255, 256), (1333, 40)]


@pytest.mark.parametrize("size", SIZES)
def test_a_level_is_the_mean_of_the_area_that_it_covers(size: tuple[int, int]) -> None:
    """scikit-image's resize_local_mean, which weighs texels by the area that they share (grid mode)."""
    level = RNG.random((*size, 3)).astype(np.float32)
    while max(level.shape[:2]) > 1:
        smaller = (max(1, level.shape[0] // 2), max(1, level.shape[1] // 2))
        theirs = resize_local_mean(
            level.astype(np.float64), smaller, grid_mode=True, preserve_range=True, channel_axis=2
        )
        ours = halved(level)
        assert ours.shape == theirs.shape
        assert np.abs(ours - theirs).max() < 1e-5
        level = ours


@pytest.mark.parametrize("size", SIZES)
@pytest.mark.parametrize("kind", [np.uint8, np.uint16, np.float32])
def test_levels_of_tiles_are_those_of_the_whole(size: tuple[int, int], kind: type) -> None:
    """As textures and loops put them together of tiles, and as the reference makes them: the same to the bit."""
    samples = (RNG.random((*size, 2)) * (1 if kind == np.float32 else np.iinfo(kind).max)).astype(kind)
    plane, tiled = Plane(samples, Encoding.DATA), TiledPlane(grid_of(samples))
    for number in range(level_count(*size)):
        wanted = Chain(plane).level(number).samples
        assert np.array_equal(Chain(plane).stored([number])[number], wanted)
        assert np.array_equal(Chain(tiled).stored([number])[number], wanted)


def test_tiles_own_levels_while_sides_are_even() -> None:
    assert [own_levels(*size) for size in ((256, 256), (1024, 512), (37, 53), (96, 258), (1, 1))] == [8, 8, 0, 1, 0]


def test_small_levels_of_a_large_plane_are_made_once(monkeypatch: pytest.MonkeyPatch) -> None:
    """Where there is no room for all parts of its tiles, the small ones are kept: a minified view makes none again."""
    account, made = Account(1 << 20), []
    monkeypatch.setattr(chain, "_PARTS", Kept("Tiles", 0.1, chain._bytes_of_parts, account))
    monkeypatch.setattr(chain, "_LEVELS", Kept("Levels", 0.1, lambda level: level.samples.nbytes, account))
    monkeypatch.setattr(chain, "parts_of", lambda *args: made.append(1) or parts_of(*args))
    samples = RNG.integers(0, 256, (1536, 2048, 3)).astype(np.uint8)
    large = Chain(TiledPlane(grid_of(samples)))
    large.prepare()
    assert len(made) == 6 * 8
    wanted = samples.astype(np.float32)
    for number in range(1, 6):
        wanted = halved(wanted)
        if number >= chain.SMALL:
            assert np.abs(large.level(number).samples - wanted).max() <= 0.5 * number + 0.01
    assert set(large.stored([2, 9, 11])) == {2, 9, 11}
    assert len(made) == 6 * 8
    assert large.level(1).samples.shape == (768, 1024, 3)
    assert len(made) == 2 * 6 * 8


# Edge pairs


@pytest.mark.parametrize("size", [(37, 53), (64, 96), (130, 70), (5, 400), (1, 1)])
@pytest.mark.parametrize("band_bytes", [1, 1 << 14, 1 << 26])
def test_pairs_are_the_same_however_they_are_cut(
    size: tuple[int, int], band_bytes: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    """In bands of any height; each level is that of the whole, paired anew."""
    levels = RNG.dirichlet([0.2] * 6, size).transpose(2, 0, 1)[:5]
    levels = np.floor(levels * 255).astype(np.uint8)
    monkeypatch.setattr(edge_pairs, "BAND_BYTES", band_bytes)
    made = pyramid(rows_of(levels), levels.shape)
    mean = np.moveaxis(levels.astype(np.float32), 0, -1)
    for number in range(level_count(*size)):
        left, top, wide, high = pyramid_place(number, size[1], size[0])
        pairs = made[top : top + high, left : left + wide]
        for index in range(5):
            apart = np.abs(decode_pairs(pairs, index) - mean[..., index])
            crowded = (mean > 0.02).sum(axis=-1) + (mean.sum(axis=-1) < 254.9) > 2
            assert apart[~crowded].max(initial=0) <= 1.01
        mean = halved(mean)
    assert np.array_equal(made[: size[0], : size[1]], encode_pairs(levels))


MEMORY = """
import resource, numpy as np
from even_palette.core.regions.edge_pairs import pyramid
side, count = 2048, 60
pattern = np.random.default_rng(1).integers(0, 5, (count, 64, side)).astype(np.uint8)
def rows(first, last):
    return pattern[:, [row % 64 for row in range(first, last)]]
before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
pyramid(rows, (count, side // 2, side))
print((resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) // 1024)
"""


def test_pairs_of_many_regions_take_little_memory() -> None:
    """60 regions at 2048 x 2048 took 5.7 GiB, half of that at half the height; in bands it does not grow with it."""
    done = subprocess.run([sys.executable, "-c", MEMORY], capture_output=True, text=True, check=True)
    assert int(done.stdout) < 1200
