"""Occlusion: the cosine-weighted share of the sky that is open, by rays."""

import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.jobs import CancelToken
from even_palette.core.mesh.bakes._declare import RAYS, REACH, SEED, SMOOTH, BakeKind, Ground, Reads, Tracer, reach_of
from even_palette.core.mesh.model import face_normals
from even_palette.core.settings import Settings


def corners(ground: Ground, settings: Settings) -> Floats:
    """Position, normal and the face's own normal, nine channels."""
    up, _ = face_normals(ground.mesh.corners())
    flat = np.repeat(up[:, None], 3, axis=1)
    # Shading normals that point away from the face would look below it.
    facing = (ground.mesh.normals * flat).sum(axis=-1, keepdims=True) > 0.05
    normals = np.where(facing, ground.mesh.normals, flat)
    return np.concatenate([ground.mesh.corners(), normals, flat], axis=-1)


def unit(values: Floats) -> Floats:
    """Normals of length 1; straight up where there is none."""
    length = np.linalg.norm(values, axis=-1, keepdims=True)
    return float32(np.where(length > 1e-9, values / np.where(length > 1e-9, length, 1), float32((0, 1, 0))))


def tracer(ground: Ground, settings: Settings) -> Tracer:
    """Gives the open share of the sky over points with normals, (n, 1), by cosine-weighted rays."""
    scene, rays, seed = ground.scene(), int(settings["rays"]), int(settings["seed"])
    reach = reach_of(ground, settings)

    def trace(values: Floats, numbers: Samples, cancel: CancelToken | None) -> Floats:
        normals, up = unit(values[:, 3:6]), unit(values[:, 6:9])
        return scene.open_share(values[:, :3], normals, up, numbers, rays, reach, seed, cancel)[:, None]

    return trace


BAKE = BakeKind(
    "occlusion", "Occlusion", "How much of the sky is open, by cosine-weighted rays: 1 is open.", 7, 1, 8, corners,
    tracer, background=1.0, values=(RAYS, REACH, SEED, SMOOTH), reads=frozenset({Reads.AROUND}),
)  # fmt: skip
