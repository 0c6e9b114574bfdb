"""Shell IDs: each connected piece in a colour of its own."""

from even_palette.core.arrays import Floats, float32
from even_palette.core.colour.numbered import number_colours
from even_palette.core.mesh.bakes._declare import BakeKind, Ground, flat
from even_palette.core.settings import Settings


def corners(ground: Ground, settings: Settings) -> Floats:
    """A colour for each shell, (F, 3, 3) float32, encoded 0..1."""
    labels = ground.shells()
    return flat(float32(number_colours(int(labels.max()) + 1))[labels] / 255)


BAKE = BakeKind(
    "shell_ids", "Shell IDs", "Each connected piece in a colour of its own.", 2, 3, 8, corners, index_like=True
)
