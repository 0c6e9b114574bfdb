"""One random value a shell: a hash of its number and the seed."""

import numpy as np

from even_palette.core.arrays import Floats
from even_palette.core.chance import hashed_unit
from even_palette.core.mesh.bakes._declare import SEED, BakeKind, Ground, flat
from even_palette.core.settings import Settings


def corners(ground: Ground, settings: Settings) -> Floats:
    """A random value for each shell, (F, 3, 1) float32, 0..1."""
    labels = ground.shells()
    return flat(hashed_unit(np.arange(int(labels.max()) + 1), int(settings["seed"]))[labels][:, None])


BAKE = BakeKind(
    "random", "Random per shell", "One value a shell, so that pieces of one mesh can vary.", 4, 1, 8, corners,
    index_like=True, values=(SEED,),
)  # fmt: skip
