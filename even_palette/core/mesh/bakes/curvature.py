"""Curvature: grey where flat, brighter where the surface bulges, darker where it is hollow."""

import numpy as np

from even_palette.core.arrays import Floats, float32
from even_palette.core.mesh.bakes._declare import BakeKind, Ground
from even_palette.core.mesh.model import Mesh, face_normals
from even_palette.core.settings import Settings, SettingSpec


def mean_curvature(mesh: Mesh) -> Floats:
    """The mean curvature at each point (P,), in 1/metre, positive where convex.

    The mean over a point's edges of the normal curvature (n_j - n_i) . (p_j - p_i) / |p_j - p_i|^2 (Taubin 1995,
    with point normals weighted by angle, Thürmer and Wüthrich 1998). A sphere of radius r has 1/r everywhere.
    """
    corners = mesh.corners().astype(np.float64)
    up = face_normals(mesh.corners())[0].astype(np.float64)
    normals = np.zeros((len(mesh.points), 3))
    for corner in range(3):
        ahead, back = corners[:, corner - 2] - corners[:, corner], corners[:, corner - 1] - corners[:, corner]
        angle = np.arctan2(np.linalg.norm(np.cross(ahead, back), axis=1), (ahead * back).sum(axis=1))
        for axis in range(3):
            normals[:, axis] += np.bincount(mesh.faces[:, corner], angle * up[:, axis], len(normals))
    length = np.linalg.norm(normals, axis=1, keepdims=True)
    normals /= np.where(length > 0, length, 1)
    ends = np.concatenate([mesh.faces[:, [0, 1]], mesh.faces[:, [1, 2]], mesh.faces[:, [2, 0]]])
    one, other = ends[:, 0], ends[:, 1]
    along = mesh.points[other].astype(np.float64) - mesh.points[one]
    squared = (along**2).sum(axis=1)
    bend = ((normals[other] - normals[one]) * along).sum(axis=1) / np.where(squared > 0, squared, 1)
    total = np.bincount(one, bend, len(normals)) + np.bincount(other, bend, len(normals))
    count = np.bincount(one, minlength=len(normals)) + np.bincount(other, minlength=len(normals))
    return float32(total / np.maximum(count, 1))


def corners(ground: Ground, settings: Settings) -> Floats:
    """Curvature at the corners of faces, (F, 3, 1) float32, 0.5 where flat."""
    radius = float(settings["radius"]) * ground.diagonal
    value = 0.5 + 0.5 * np.clip(mean_curvature(ground.mesh) * radius, -1, 1)
    return float32(value)[ground.mesh.faces][..., None]


BAKE = BakeKind(
    "curvature", "Curvature", "Grey is flat, white bulges, black is hollow.", 9, 1, 16, corners, background=0.5,
    values=(
        SettingSpec("radius", "Radius", 0.02, "A bulge of this radius (share of the diagonal) is white.", 0.001, 0.5),
    ),
)  # fmt: skip
