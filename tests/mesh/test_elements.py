"""Elements against trimesh, scipy and VTK; scatter split; nearest faces."""

import numpy as np
import pytest
import pyvista
import trimesh
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from even_palette.core.mesh.elements import (
    elements,
    grown,
    island_labels,
    shell_labels,
    shrunk,
    similar,
)
from even_palette.core.mesh.files import read_mesh
from even_palette.core.mesh.kinds import ElementKind, Likeness
from even_palette.core.mesh.model import Mesh, build_mesh, join_positions
from even_palette.core.mesh.scatter import scatter
from even_palette.core.mesh.surface import NearestFace, point_triangle_distance, touching
from even_palette.core.mesh.unwrap import unwrapped
from tests.mesh.conftest import REAL, of_trimesh, quads


def same_partition(one: np.ndarray, other: np.ndarray) -> bool:
    """Whether two labellings divide the same way."""
    pairs = np.unique(np.stack([one, other], axis=-1), axis=0)
    return len(pairs) == len(np.unique(one)) == len(np.unique(other))


def pieces() -> trimesh.Trimesh:
    parts = [trimesh.creation.icosphere(2), trimesh.creation.box(), trimesh.creation.torus(1, 0.3)]
    for number, part in enumerate(parts):
        part.apply_translation((4 * number, 0, 0))
    return trimesh.util.concatenate(parts)


@pytest.mark.parametrize("split", [False, True])
def test_shells_of_generated_meshes(split: bool) -> None:
    made = pieces()
    labels = shell_labels(of_trimesh(made, split))
    assert same_partition(labels, trimesh.graph.connected_component_labels(made.face_adjacency, len(made.faces)))


@pytest.mark.parametrize("name", ["airplane.ply", "ant.ply", "nut.ply"])
def test_shells_of_real_meshes(name: str) -> None:
    """Against trimesh (edges shared by two faces) and VTK's connectivity (points) on meshes of PyVista's wheel."""
    mesh = read_mesh(REAL / name)
    reference = trimesh.Trimesh(mesh.points, mesh.faces, process=False)
    pairs = np.stack(_all_edge_pairs(mesh.faces), axis=-1)
    assert same_partition(shell_labels(mesh), trimesh.graph.connected_component_labels(pairs, len(mesh.faces)))
    assert abs(reference.area - float(np.sum(_areas(mesh)))) < 1e-4 * reference.area
    surface = pyvista.PolyData.from_regular_faces(mesh.points, mesh.faces)
    by_points = np.asarray(surface.connectivity("all").cell_data["RegionId"])
    # VTK joins pieces that touch in a point alone, so each of ours lies inside one of its.
    assert len(np.unique(np.stack([shell_labels(mesh), by_points], -1), axis=0)) == shell_labels(mesh).max() + 1


def _areas(mesh: Mesh) -> np.ndarray:
    corners = mesh.corners().astype(np.float64)
    return np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1) / 2


def _all_edge_pairs(faces: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Faces that share an edge, by a dictionary: plain and slow."""
    first: dict[tuple[int, int], int] = {}
    pairs = []
    for number, face in enumerate(faces.tolist()):
        for a, b in zip(face, face[1:] + face[:1], strict=True):
            key = (min(a, b), max(a, b))
            if a != b and key in first:
                pairs.append((first[key], number))
            first.setdefault(key, number)
    table = np.array(pairs).reshape(-1, 2)
    return table[:, 0], table[:, 1]


def test_islands_of_an_unwrapped_mesh() -> None:
    """Islands are the components over vertices that have place and UV in common (scipy)."""
    mesh = unwrapped(of_trimesh(trimesh.creation.torus(1, 0.3, 24, 12)))
    keys = np.concatenate([mesh.corners(), mesh.uv_sets[0]], axis=-1).reshape(-1, 5)
    vertex = np.unique(keys, axis=0, return_inverse=True)[1].reshape(-1, 3)
    count = int(vertex.max()) + 1
    graph = coo_matrix((np.ones(2 * len(vertex)), (vertex[:, :2].T.ravel(), vertex[:, 1:].T.ravel())), (count, count))
    assert same_partition(island_labels(mesh), connected_components(graph, directed=False)[1][vertex[:, 0]])


def test_pieces_that_touch_in_a_point_are_two_shells() -> None:
    points = np.float32([(0, 0, 0), (1, 0, 0), (0, 1, 0), (-1, 0, 0), (0, -1, 0)])
    assert shell_labels(build_mesh(points, np.array([(0, 1, 2), (0, 3, 4)]))).tolist() == [0, 1]


def test_degenerate_faces_join_nothing() -> None:
    points = np.float32([(0, 0, 0), (1, 0, 0), (0, 1, 0), (5, 0, 0), (6, 0, 0), (5, 1, 0)])
    mesh = build_mesh(points, np.array([(0, 1, 2), (0, 0, 3), (3, 4, 5)]))
    assert shell_labels(mesh)[0] != shell_labels(mesh)[2]


def test_positions_join_exactly() -> None:
    points, number = join_positions(np.float32([(0, 0, 0), (1, 0, 0), (-0.0, 0, 0), (1, 0, 1e-7)]))
    assert number.tolist() == [0, 1, 0, 2]
    assert len(points) == 3


def test_counts_names_and_shares() -> None:
    mesh = quads([(0, 0, 0.5, 1), (0.5, 0, 0.75, 1), (0.75, 0, 1, 1)])
    shells = elements(mesh, ElementKind.SHELL)
    assert shells.face_counts.tolist() == [2, 2, 2]
    assert np.allclose(shells.area_shares, (0.5, 0.25, 0.25))
    assert shells.name(1) == "Shell 2"
    assert elements(mesh, ElementKind.SLOT).names == ("Material",)
    first = np.arange(6) == 2
    assert similar(mesh, first, Likeness.SIZE, shells).tolist() == [False, False, True, True, True, True]
    assert similar(mesh, first, Likeness.SLOT, shells).all()


def test_rings() -> None:
    """Growing from one face reaches the faces around its points (trimesh's vertex_faces); shrinking takes them back."""
    made = trimesh.creation.icosphere(3)
    mesh = of_trimesh(made)
    chosen = np.zeros(mesh.face_count, dtype=bool)
    chosen[100] = True
    around = made.vertex_faces[made.faces[100]]
    assert np.flatnonzero(grown(mesh, chosen)).tolist() == sorted(set(around[around >= 0].tolist()))
    assert np.array_equal(shrunk(mesh, grown(mesh, chosen)), chosen)


SHARES = [50.0, 25.0, 15.0, 10.0]


@pytest.mark.parametrize("count", [1, 7, 20, 101])
@pytest.mark.parametrize("seed", [1, 2, 3])
def test_scatter_by_count(count: int, seed: int) -> None:
    """Counts within one element of the shares; the same seed gives the same, another one another (common practice)."""
    sizes = np.random.default_rng(9).random(count) + 0.1
    parts = scatter(sizes, SHARES, seed, by_area=False).parts
    counts = np.bincount(parts, minlength=4)
    assert np.abs(counts - np.array(SHARES) / 100 * count).max() < 1
    assert np.array_equal(parts, scatter(sizes, SHARES, seed, by_area=False).parts)
    if count > 20:
        assert not np.array_equal(parts, scatter(sizes, SHARES, seed + 10, by_area=False).parts)


@pytest.mark.parametrize("seed", range(8))
def test_scatter_by_area(seed: int) -> None:
    """Areas within the largest element of the shares."""
    sizes = np.random.default_rng(seed).pareto(2, 60) + 0.2
    parts = scatter(sizes, SHARES, seed, by_area=True).parts
    areas = np.bincount(parts, weights=sizes, minlength=4)
    assert np.abs(areas - np.array(SHARES) / 100 * sizes.sum()).max() <= sizes.max() + 1e-9


@pytest.mark.parametrize("by_area", [False, True])
def test_neighbours_are_kept_apart(by_area: bool) -> None:
    """On a grid, which two colours suffice for, no two of four parts touch; shares hold all the same."""
    side = 12
    at = np.arange(side * side).reshape(side, side)
    pairs = np.concatenate([np.stack([at[:, :-1], at[:, 1:]], -1).reshape(-1, 2),
                            np.stack([at[:-1], at[1:]], -1).reshape(-1, 2)])  # fmt: skip
    sizes = np.random.default_rng(0).random(side * side) + 0.5
    found = scatter(sizes, [30, 30, 20, 20], 5, by_area, pairs)
    assert found.conflicts == 0
    assert (found.parts[pairs[:, 0]] != found.parts[pairs[:, 1]]).all()
    weights = sizes if by_area else np.ones(len(sizes))
    got = np.bincount(found.parts, weights=weights, minlength=4)
    assert np.abs(got - np.array([0.3, 0.3, 0.2, 0.2]) * weights.sum()).max() <= (sizes.max() if by_area else 1)


def test_touches_that_cannot_be_avoided_are_counted() -> None:
    """Three mutual neighbours and two parts: one pair must touch."""
    assert scatter(np.ones(3), [50, 50], 1, False, np.array([(0, 1), (0, 2), (1, 2)])).conflicts == 1


def test_touching_shells() -> None:
    """Rows of rectangles: each touches the next, over a gap smaller than the limit."""
    mesh = quads([(0.1 * i, 0, 0.1 * i + 0.098, 0.5) for i in range(5)])
    flat = build_mesh(mesh.points * np.float32((1, 1, 0)), mesh.faces)
    labels = shell_labels(flat)
    assert touching(flat, labels, 0.005).tolist() == [[0, 1], [1, 2], [2, 3], [3, 4]]


def test_touching_shells_of_dense_meshes() -> None:
    """Two finely divided squares side by side: their many points do not hide that they touch."""
    side = 60
    u, v = np.meshgrid(np.linspace(0, 1, side + 1), np.linspace(0, 1, side + 1))
    number = np.arange((side + 1) ** 2).reshape(side + 1, side + 1)
    a, b, c, d = number[:-1, :-1], number[1:, :-1], number[1:, 1:], number[:-1, 1:]
    square = np.concatenate([np.stack(t, axis=-1).reshape(-1, 3) for t in ((a, b, c), (a, c, d))])
    grid = np.stack([u, v, np.zeros_like(u)], axis=-1).reshape(-1, 3)
    points = np.concatenate([grid + np.array((shift, 0, 0)) for shift in (0, 1.02, 5)]).astype(np.float32)
    mesh = build_mesh(points, np.concatenate([square + i * len(grid) for i in range(3)]))
    assert touching(mesh, shell_labels(mesh), 0.06).tolist() == [[0, 1]]


def test_nearest_faces() -> None:
    """Distances against trimesh's closest_point."""
    made = trimesh.creation.torus(1, 0.3)
    points = np.random.default_rng(2).normal(size=(200, 3)).astype(np.float32)
    _, distance, _ = trimesh.proximity.closest_point_naive(made, points)
    face, own = NearestFace(of_trimesh(made), 0.5).find(points)
    near = distance < 0.45
    assert (face[near] >= 0).all()
    assert (face[distance > 0.5001] == -1).all()
    assert np.allclose(own[near], distance[near], atol=2e-3)
    corners = made.triangles[face[near]]
    assert np.allclose(point_triangle_distance(points[near].astype(float), corners), own[near], atol=1e-5)
