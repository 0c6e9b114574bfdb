"""Noise in the space of the object: it goes through the mesh as through a block, so that no seam of the UVs shows."""

import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.jobs import CancelToken
from even_palette.core.mesh.bakes._declare import AXES, BakeKind, Ground, Tracer
from even_palette.core.noise import SETTINGS, noise_at, noise_of
from even_palette.core.settings import Settings, SettingSpec


def corners(ground: Ground, settings: Settings) -> Floats:
    """Positions in metres, (F, 3, 3) float32."""
    return float32(ground.mesh.corners())


def tracer(ground: Ground, settings: Settings) -> Tracer:
    """Gives the noise at positions, (n, 1) 0..1."""
    cell = np.full(3, float(settings["size"]))
    if settings["along"] != "none":
        cell["xyz".index(str(settings["along"]))] *= float(settings["stretch"])
    noise = noise_of(settings)

    def trace(values: Floats, numbers: Samples, cancel: CancelToken | None) -> Floats:
        return noise_at(values.astype(np.float64) / cell, noise, cancel)[:, None]

    return trace


BAKE = BakeKind(
    "noise", "Noise", "Clouds, cells, cracks or patches in the space of the object: no seam shows.", 14, 1, 16,
    corners, tracer, background=0.5,
    values=(
        SETTINGS[0],
        SettingSpec("size", "Size", 0.5, "How large the largest shapes are.", 0.01, 20, unit="m"),
        *SETTINGS[1:4],
        SettingSpec("along", "Stretched", "none", "The way along which shapes are stretched.",
                  choices=(("none", "Not at all"), *AXES)),
        SettingSpec("stretch", "Stretch", 4.0, "How many times as long they are along it.", 1, 64,
                  when=("along", ("x", "y", "z"))),
        *SETTINGS[4:],
    ),
)  # fmt: skip
