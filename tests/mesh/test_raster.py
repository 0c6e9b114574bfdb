"""Coverage of texels against exact arithmetic; padding against scipy."""

from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import ndimage
from scipy.spatial import Delaunay

from even_palette.core.mesh.footprint import footprint, label_classes
from even_palette.core.mesh.padding import lasting_mips, nearest_covered, spread
from even_palette.core.mesh.raster import SUBTEXEL, layout, overlapping_faces, rasterize, snapped

Point = tuple[Fraction, Fraction]


def inside_exactly(triangle: list[Point], x: Fraction, y: Fraction) -> bool:
    """Point in triangle with the top-left rule (Direct3D 11.3 functional specification, 3.4.2.1), in rationals."""
    (ax, ay), (bx, by), (cx, cy) = triangle
    twice = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
    if twice == 0:
        return False
    ring = triangle if twice > 0 else triangle[::-1]
    for (px, py), (qx, qy) in zip(ring, [*ring[1:], ring[0]], strict=True):
        side = (qx - px) * (y - py) - (qy - py) * (x - px)
        top_left = qy < py or (qy == py and qx > px)
        if side < 0 or (side == 0 and not top_left):
            return False
    return True


coordinate = st.one_of(
    st.floats(-0.5, 1.5, width=32),
    st.integers(0, 32).map(lambda i: i / 32),  # on the centres and edges of texels
)
triangles = st.lists(st.tuples(coordinate, coordinate), min_size=3, max_size=3)


@given(triangles, st.sampled_from([(8, 8), (16, 8), (5, 11)]))
def test_coverage_equals_exact_point_in_triangle(corners: list[tuple[float, float]], size: tuple[int, int]) -> None:
    """Every texel of the raster against rationals, on the grid of 1/4096 texel that UVs are rounded to."""
    width, height = size
    uv = np.array([corners], dtype=np.float32)
    covered = rasterize(uv, width, height).covered
    at = snapped(uv, width, height)[0]
    assert np.abs(at - uv[0].astype(np.float64) * (width * SUBTEXEL, height * SUBTEXEL)).max() <= 0.5
    exact = [(Fraction(int(x), SUBTEXEL), Fraction(int(y), SUBTEXEL)) for x, y in at]
    for row in range(height):
        for column in range(width):
            x, y = Fraction(2 * column + 1, 2), Fraction(2 * row + 1, 2)
            assert covered[row, column] == inside_exactly(exact, x, y), (row, column)


@given(st.lists(st.tuples(st.integers(0, 64), st.integers(0, 64)), min_size=4, max_size=20, unique=True))
def test_no_texel_twice_and_none_missing_between_neighbours(points: list[tuple[int, int]]) -> None:
    """A Delaunay triangulation (scipy) of points on texel edges and centres tiles its hull without gap or overlap."""
    places = np.array(points, dtype=np.float64)
    if np.linalg.matrix_rank(places - places[0]) < 2:
        return
    faces = Delaunay(places, qhull_options="QJ Qt Pp").simplices
    flip = np.random.default_rng(len(points)).random(len(faces)) < 0.5
    faces[flip] = faces[flip][:, ::-1]  # mirrored UVs
    uv = (places / 64).astype(np.float32)[faces]
    seen = rasterize(uv, 32, 32)
    assert seen.claims.max() <= 1
    area = sum(abs(np.linalg.det(np.stack([t[1] - t[0], t[2] - t[0]]))) / 2 for t in uv.astype(np.float64) * 32)
    edge = sum(np.linalg.norm(t - np.roll(t, 1, axis=0), axis=1).sum() for t in uv.astype(np.float64) * 32)
    assert abs(seen.covered.sum() - area) <= edge + 1
    holes = ndimage.binary_fill_holes(seen.covered) & ~seen.covered
    assert not holes.any()


def test_covered_area_is_the_uv_area() -> None:
    """Within the boundary's texels; a circle of 64 triangles."""
    angle = np.linspace(0, 2 * np.pi, 65)
    ring = np.stack([0.5 + 0.4 * np.cos(angle), 0.5 + 0.4 * np.sin(angle)], axis=-1)
    uv = np.stack([np.broadcast_to((0.5, 0.5), (64, 2)), ring[:-1], ring[1:]], axis=1).astype(np.float32)
    covered = rasterize(uv, 512, 512).covered.sum()
    area = 32 * 0.4**2 * np.sin(2 * np.pi / 64) * 512**2  # of the regular polygon
    assert abs(covered - area) < 2 * np.pi * 0.4 * 512


def test_layout_counts_overlaps_and_faces_outside() -> None:
    one = [(0.1, 0.1), (0.4, 0.1), (0.1, 0.4)]
    uv = np.float32([one, one, [(0.9, 0.9), (1.2, 0.9), (0.9, 1.0)], [(0.5, 0.5), (0.6, 0.6), (0.7, 0.7)]])
    seen = rasterize(uv, 64, 64)
    found = layout(uv, seen.claims)
    alone = rasterize(uv[:1], 64, 64).covered.sum()
    assert (found.overlapping_texels, found.overlapping_faces) == (alone, 2)
    assert overlapping_faces(uv, seen.claims).tolist() == [True, True, False, False]
    assert (found.outside_faces, found.empty_faces) == (1, 1)


def test_wild_uvs_are_passed_over() -> None:
    uv = np.float32([[(np.nan, 0), (1, 0), (0, 1)], [(1e30, 0), (1, 0), (0, 1)], [(0, 0), (1, 0), (0, 1)]])
    assert set(np.unique(rasterize(uv, 16, 16).face)) == {-1, 2}


@pytest.mark.parametrize("width", [1, 3, 16])
def test_padding_takes_the_nearest_texel(width: int) -> None:
    """Distances against scipy's exact Euclidean transform, reach against its square dilation."""
    rng = np.random.default_rng(width)
    covered = rng.random((97, 61)) < 0.01
    covered[40:60, 10:30] = True
    nearest = nearest_covered(covered, width)
    reach = ndimage.binary_dilation(covered, np.ones((3, 3), bool), iterations=width)
    assert np.array_equal(nearest >= 0, reach)
    rows, columns = np.nonzero(reach)
    source = np.stack(np.divmod(nearest[rows, columns], covered.shape[1]), axis=-1)
    assert covered[source[:, 0], source[:, 1]].all()
    own = np.linalg.norm(source - np.stack([rows, columns], axis=-1), axis=1)
    # Beyond `width` in a diagonal the nearest texel of all may lie outside the square that is searched.
    exact = ndimage.distance_transform_edt(~covered)[rows, columns]
    near = exact <= width
    assert np.allclose(own[near], exact[near])
    assert (own >= exact - 1e-9).all()


@pytest.mark.parametrize("level", [1, 2, 3, 4])
def test_mips_show_no_background_inside_islands(level: int) -> None:
    """Mip level k is a mean over 2^k x 2^k texels: with padding 2^k no block that touches an island holds background."""
    rng = np.random.default_rng(level)
    angle = rng.random((6, 3)) * 2 * np.pi
    centre = rng.random((6, 1, 2)) * 0.6 + 0.2
    uv = np.float32(centre + 0.15 * np.stack([np.cos(angle), np.sin(angle)], axis=-1))
    seen = footprint(uv, 256, 256, 2, 2**level)
    assert lasting_mips(2**level) == level
    shown = spread(seen.covered, seen.nearest)
    step = 2**level
    blocks = lambda plane: plane.reshape(256 // step, step, 256 // step, step)  # noqa: E731
    touched = blocks(seen.covered).any(axis=(1, 3))
    assert blocks(shown).all(axis=(1, 3))[touched].all()


def test_edges_are_shared_by_area() -> None:
    """Two rectangles that meet inside a column of texels: its classes are their shares, and nothing leaks outside."""
    edge = 10.25 / 32
    left = [[(0.25, 0.25), (edge, 0.25), (edge, 0.75)], [(0.25, 0.25), (edge, 0.75), (0.25, 0.75)]]
    right = [[(edge, 0.25), (0.75, 0.25), (0.75, 0.75)], [(edge, 0.25), (0.75, 0.75), (edge, 0.75)]]
    seen = footprint(np.float32(left + right), 32, 32, 4, 2)
    classes, table = label_classes(seen, np.array([0, 0, 1, 1]), 2)
    assert np.allclose(table[classes[16, 10]], (4 / 17, 13 / 17))  # 4 of 16 samples, and the centre
    assert np.allclose(table[classes[16, 9]], (1, 0))
    assert np.allclose(table[classes[16, 7]], (1, 0))  # padding is whole, not mixed with background
    assert np.allclose(table[classes[16, 2]], (0, 0))
    sums = table[classes].sum(axis=-1)
    assert set(np.round(np.unique(sums), 6)) == {0.0, 1.0}


def test_overlaps_are_found_in_claims_that_were_kept() -> None:
    """Results that were kept, on disk or in memory, cannot be written to."""
    from even_palette.core.mesh.raster import overlapping_faces

    uv = np.float32([[(0.1, 0.1), (0.9, 0.1), (0.1, 0.9)], [(0.2, 0.2), (0.8, 0.2), (0.2, 0.8)]])
    claims = rasterize(uv, 32, 32).claims
    claims.setflags(write=False)
    assert overlapping_faces(uv, claims).tolist() == [True, True]
