"""Gradient in space: along an axis, around one, or away from a point, in metres: one line runs over many assets."""

import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.jobs import CancelToken
from even_palette.core.mesh.bakes._declare import AXES, BakeKind, Ground, Tracer
from even_palette.core.settings import Settings, SettingSpec

NEXT = {"x": (1, 2), "y": (2, 0), "z": (0, 1)}
"""The two axes around one, in the order in which angles run from the first to the second."""


def corners(ground: Ground, settings: Settings) -> Floats:
    """Positions in metres, (F, 3, 3) float32."""
    return float32(ground.mesh.corners())


def tracer(ground: Ground, settings: Settings) -> Tracer:
    """Gives (n, 1): 0 at the start and 1 at the end, straight between; angles once around from 0 to 1."""
    axis = str(settings["axis"])
    first, last = float(settings["start"]), float(settings["end"])
    extent = last - first if last != first else 1e-6
    centre = np.array([float(settings[f"centre_{name}"]) for name in "xyz"])

    def trace(values: Floats, numbers: Samples, cancel: CancelToken | None) -> Floats:
        away = values.astype(np.float64) - centre
        if settings["way"] == "around":
            one, other = NEXT[axis]
            return float32(np.arctan2(away[:, other], away[:, one]) / (2 * np.pi) % 1)[:, None]
        at = np.linalg.norm(away, axis=1) if settings["way"] == "point" else away[:, "xyz".index(axis)]
        return float32(np.clip((at - first) / extent, 0, 1))[:, None]

    return trace


def _centre(name: str) -> SettingSpec:
    return SettingSpec(f"centre_{name}", f"Centre {name}", 0.0, "From where it is measured.", -100, 100, unit="m")


BAKE = BakeKind(
    "gradient", "Gradient in space", "0 to 1 along an axis, around one, or away from a point, in metres.", 11, 1, 16,
    corners, tracer,
    values=(
        SettingSpec("way", "Way", "along", "What is measured.",
                  choices=(("along", "Along an axis"), ("around", "Around an axis"), ("point", "Away from a point"))),
        SettingSpec("axis", "Axis", "y", "The axis.", choices=AXES, when=("way", ("along", "around"))),
        SettingSpec("start", "0 at", 0.0, "Where it is 0; beyond that it stays so.", -100, 100, unit="m",
                  when=("way", ("along", "point"))),
        SettingSpec("end", "1 at", 1.0, "Where it is 1; less than the start turns it over.", -100, 100, unit="m",
                  when=("way", ("along", "point"))),
        *map(_centre, "xyz"),
    ),
)  # fmt: skip
