"""Object-space normal: x, y, z of -1..1 stored as 0..1."""

import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.jobs import CancelToken
from even_palette.core.mesh.bakes._declare import BakeKind, Ground, Tracer
from even_palette.core.settings import Settings


def corners(ground: Ground, settings: Settings) -> Floats:
    """Normals in object space, (F, 3, 3) float32, of unit length."""
    return ground.mesh.normals


def tracer(ground: Ground, settings: Settings) -> Tracer:
    """Makes carried normals unit length again and stores -1..1 as 0..1."""

    def unit(values: Floats, numbers: Samples, cancel: CancelToken | None) -> Floats:
        length = np.linalg.norm(values, axis=-1, keepdims=True)
        return float32(values / np.where(length > 0, length, 1) * 0.5 + 0.5)

    return unit


BAKE = BakeKind(
    "normal", "Normal, object space", "The direction of the surface: x right, y up, z to the front.", 6, 3, 16, corners,
    tracer, background=0.5,
)  # fmt: skip
