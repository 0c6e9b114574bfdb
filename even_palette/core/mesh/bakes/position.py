"""Position in the box of the mesh: x, y, z as 0..1 each."""

import numpy as np

from even_palette.core.arrays import Floats, float32
from even_palette.core.mesh.bakes._declare import BakeKind, Ground
from even_palette.core.settings import Settings


def corners(ground: Ground, settings: Settings) -> Floats:
    """Positions in the box of the mesh, (F, 3, 3) float32, 0..1 along each axis."""
    low, high = ground.mesh.points.min(axis=0), ground.mesh.points.max(axis=0)
    extent = np.where(high > low, high - low, 1)
    return float32((ground.mesh.corners() - low) / extent)


BAKE = BakeKind("position", "Position", "x, y, z in the box around the mesh, 0 to 1 each.", 5, 3, 16, corners)
