"""ID colours: each face in the ID colour of its region."""

from even_palette.core.arrays import Floats, float32
from even_palette.core.mesh.bakes._declare import BakeKind, Ground, Reads, flat
from even_palette.core.settings import Settings


def corners(ground: Ground, settings: Settings) -> Floats:
    """ID colours of faces, (F, 3, 3) float32, encoded levels / 255."""
    assert ground.face_colours is not None
    return flat(float32(ground.face_colours) / 255)


BAKE = BakeKind(
    "id_colours", "ID colours", "Each region in its ID colour; edges between regions are mixed.",
    1, 3, 8, corners, reads=frozenset({Reads.REGIONS}),
)  # fmt: skip
