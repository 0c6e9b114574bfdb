"""Height gradient: 0 at one end of the mesh, 1 at the other, along an axis."""

from even_palette.core.arrays import Floats, float32
from even_palette.core.mesh.bakes._declare import AXES, BakeKind, Ground
from even_palette.core.settings import Settings, SettingSpec


def corners(ground: Ground, settings: Settings) -> Floats:
    """Height along the axis, (F, 3, 1) float32, 0 at the lower end to 1 at the upper."""
    at = ground.mesh.corners()[..., "xyz".index(str(settings["axis"]))]
    low, high = float(at.min()), float(at.max())
    return float32((at - low) / (high - low if high > low else 1))[..., None]


BAKE = BakeKind(
    "height", "Height gradient", "0 at the lower end of the mesh, 1 at the upper, along an axis.", 10, 1, 16, corners,
    values=(SettingSpec("axis", "Axis", "y", "The axis to go along.", choices=AXES),),
)  # fmt: skip
