"""Tiles: what is equal has one name, a tile of one value is stored as that, and nothing depends on where tiles meet."""

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from even_palette.core.raster.chain import Chain
from even_palette.core.raster.mips import level_count, own_levels, parts_of
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.sampling import sample
from even_palette.core.raster.tiles import TILE, TiledPlane, grid_of, make_tile, spots

SIDES = st.integers(1, 700)


@given(SIDES, SIDES, st.integers(1, 4), st.integers(0, 1000))
def test_a_grid_holds_its_samples(height: int, width: int, channels: int, seed: int) -> None:
    """All of them, any rectangle of them, and with a surround that goes on beyond the edge (numpy.pad, mode edge)."""
    rng = np.random.default_rng(seed)
    samples = rng.integers(0, 9, (height, width, channels)).astype(np.uint16)
    grid = grid_of(samples)
    plane = TiledPlane(grid)
    assert np.array_equal(plane.samples, samples)
    assert (plane.height, plane.width, plane.channels) == samples.shape
    top, left = rng.integers(0, height), rng.integers(0, width)
    bottom, right = rng.integers(top, height) + 1, rng.integers(left, width) + 1
    assert np.array_equal(grid.cut(top, left, bottom, right), samples[top:bottom, left:right])
    reach = int(rng.integers(0, 300))
    whole = np.pad(samples, ((reach, reach), (reach, reach), (0, 0)), mode="edge")
    spot = list(spots(height, width))[int(rng.integers(0, len(grid.tiles)))]
    want = whole[spot.top : spot.bottom + 2 * reach, spot.left : spot.right + 2 * reach]
    assert np.array_equal(grid.padded(spot, reach), want)
    uv = rng.random((5, 7, 2)).astype(np.float32)
    assert np.array_equal(sample(plane, uv), sample(Plane(samples, Encoding.DATA), uv))
    assert np.array_equal(plane.rows(top, bottom).samples, samples[top:bottom])
    rows, columns = (np.unique(rng.integers(0, side, 9)) for side in (height, width))
    assert np.array_equal(grid.pick(rows, columns), samples[np.ix_(rows, columns)])
    assert np.array_equal(np.sum([tile.sums for tile in grid.tiles], axis=0), samples.sum(axis=(0, 1)))


def test_equal_bytes_have_one_name_and_are_kept_once() -> None:
    rng = np.random.default_rng(2)
    samples = rng.integers(0, 255, (600, 600, 4)).astype(np.uint8)
    one, other = grid_of(samples), grid_of(samples.copy())
    assert one.name == other.name
    assert all(a is b for a, b in zip(one.tiles, other.tiles, strict=True))
    changed = samples.copy()
    changed[0, 599, 0] ^= 1
    different = grid_of(changed)
    assert [a is b for a, b in zip(one.tiles, different.tiles, strict=True)] == [True, True, False, *[True] * 6]
    assert one.name != different.name
    flat = grid_of(np.full((2048, 2048, 4), 7, np.uint8))
    assert flat.nbytes == 4
    assert (flat.tiles[0].sums == 7 * TILE * TILE).all()
    assert (flat.pick(np.arange(0, 2048, 300), np.array([5])) == 7).all()
    assert len(set(flat.tiles)) == 1
    assert make_tile(np.zeros((2, 3, 1), np.uint8)).name != make_tile(np.zeros((3, 2, 1), np.uint8)).name
    assert make_tile(np.zeros((2, 2, 1), np.uint8)).name != make_tile(np.zeros((2, 2, 1), np.uint16)).name


@given(st.integers(1, 75), st.integers(1, 75), st.sampled_from([1, 2, 8]), st.integers(0, 99))
def test_parts_of_mips_lie_beside_each_other(height: int, width: int, times: int, seed: int) -> None:
    """The parts that tiles own make up each level, which has floor(n / 2^k) texels (OpenGL 4.6, section 8.14.3)."""
    height, width = height * times, width * times
    samples = np.random.default_rng(seed).random((height, width, 2)).astype(np.float32)
    chain = Chain(TiledPlane(grid_of(samples)))
    wanted = samples
    for level in range(own_levels(height, width) + 1):
        got = np.full((height >> level, width >> level, 2), np.nan, np.float32)
        for spot in spots(height, width):
            own = chain.parts(spot)
            if level < len(own):
                y, x = spot.top >> level, spot.left >> level
                got[y : y + own[level].shape[0], x : x + own[level].shape[1]] = own[level]
        assert np.allclose(got, wanted, atol=1e-5)
        even = wanted[: wanted.shape[0] // 2 * 2, : wanted.shape[1] // 2 * 2]
        wanted = (even[::2, ::2] + even[1::2, ::2] + even[::2, 1::2] + even[1::2, 1::2]) / 4
    assert level_count(512, 300) == 10
    assert parts_of(np.full((TILE, TILE, 3), 255, np.uint8), Encoding.SRGB)[8].tolist() == [[[65535] * 3]]
