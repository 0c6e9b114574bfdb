"""Points spread over a mesh: what touches what, and which face is nearest."""

import numpy as np
from scipy.spatial import KDTree

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.mesh.model import Mesh, distinct_rows

MOST_SAMPLES = 1_000_000
NEIGHBOURS = 32


def spread_points(mesh: Mesh, spacing: float) -> tuple[Floats, Samples]:
    """Points (n, 3) on the faces at most about `spacing` apart, edges and corners among them, and their faces (n,).

    The spacing is made wider where that would be more than a million points.
    """
    corners = mesh.corners()
    sides = np.linalg.norm(corners - np.roll(corners, -1, axis=1), axis=-1).max(axis=1)
    while True:
        steps = np.clip(np.ceil(sides / max(spacing, 1e-12)), 1, 512).astype(np.int64)
        if ((steps + 1) * (steps + 2) // 2).sum() <= MOST_SAMPLES or steps.max() == 1:
            break
        spacing *= 1.5
    points, owners = [], []
    for step in np.unique(steps):
        faces = np.flatnonzero(steps == step)
        i, j = np.meshgrid(np.arange(step + 1), np.arange(step + 1), indexing="ij")
        inside = (i + j) <= step
        weights = np.stack([step - i - j, i, j], axis=-1)[inside] / step
        points.append((weights[None, :, :, None] * corners[faces][:, None]).sum(axis=2).reshape(-1, 3))
        owners.append(np.repeat(faces, len(weights)))
    return float32(np.concatenate(points)), np.concatenate(owners)


def touching(mesh: Mesh, labels: Samples, within: float) -> Samples:
    """Pairs (n, 2) of labels whose faces come within a distance of each other, each once, the lower first."""
    points, owners = spread_points(mesh, within)
    # One point of a label in each cell: a dense shell would otherwise fill memory with pairs of its own.
    cells = np.floor((points - points.min(axis=0)) / max(within / 3, 1e-12)).astype(np.int64)
    first, _ = distinct_rows(np.concatenate([cells, labels[owners][:, None]], axis=1))
    at = labels[owners[first]]
    found = KDTree(points[first]).query_pairs(within * 1.001, output_type="ndarray")
    one, other = at[found[:, 0]], at[found[:, 1]]
    pairs = np.stack([np.minimum(one, other), np.maximum(one, other)], axis=-1)[one != other]
    return np.unique(pairs, axis=0).reshape(-1, 2)


class NearestFace:
    """Which face of a mesh lies nearest to a point, within a limit."""

    def __init__(self, mesh: Mesh, limit: float) -> None:
        self._corners, self._limit = mesh.corners().astype(np.float64), limit
        points, self._owners = spread_points(mesh, limit / 2)
        self._tree = KDTree(points)

    def find(self, points: Floats) -> tuple[Samples, Floats]:
        """The face of each point (n, 3), -1 where none is within the limit, and its distance.

        The nearest samples of the surface name the faces whose exact distances are compared.
        """
        near = self._tree.query(points, k=min(NEIGHBOURS, len(self._owners)), distance_upper_bound=2 * self._limit)[1]
        near = near.reshape(len(points), -1)
        best, at = np.full(len(points), np.inf), np.full(len(points), -1, dtype=np.int64)
        for column in near.T:
            known = np.flatnonzero(column < len(self._owners))
            faces = self._owners[column[known]]
            distance = point_triangle_distance(points[known].astype(np.float64), self._corners[faces])
            closer = distance < best[known]
            best[known[closer]], at[known[closer]] = distance[closer], faces[closer]
        at[best > self._limit] = -1
        return at, float32(best)


def point_triangle_distance(points: Samples, corners: Samples) -> Samples:
    """The distances (n,) of points (n, 3) to triangles (n, 3, 3), by Ericson 2005, section 5.1.5."""
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    normal = np.cross(b - a, c - a)
    squared = (normal**2).sum(axis=1)
    safe = np.where(squared > 0, squared, 1)
    to = points - a
    v = (np.cross(to, c - a) * normal).sum(axis=1) / safe
    w = (np.cross(b - a, to) * normal).sum(axis=1) / safe
    inside = (v >= 0) & (w >= 0) & (v + w <= 1) & (squared > 0)
    plane = np.abs((to * normal).sum(axis=1)) / np.sqrt(safe)
    edges = np.min([_segment_distance(points, p, q) for p, q in ((a, b), (b, c), (c, a))], axis=0)
    return np.asarray(np.where(inside, plane, edges))


def _segment_distance(points: Samples, start: Samples, end: Samples) -> Samples:
    along = end - start
    length = (along**2).sum(axis=1)
    t = np.clip(((points - start) * along).sum(axis=1) / np.where(length > 0, length, 1), 0, 1)
    return np.asarray(np.linalg.norm(points - start - t[:, None] * along, axis=1))
