"""Noise in the space of the object: it goes through the mesh as through a block, so that no seam of the UVs shows."""

import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.jobs import CancelToken
from even_palette.core.mesh.bakes._declare import AXES, BakeKind, Ground, Tracer
from even_palette.core.noise import SETTINGS, noise_at, noise_of
from even_palette.core.settings import Settings, SettingSpec

STRANDS = {"across": 0, "down": 1}
"""Ways on the sheet along which strands of shells run, and the coordinate of each."""


def corners(ground: Ground, settings: Settings) -> Floats:
    """Positions in metres, (F, 3, 3) float32; along strands, places on the sheet at the size that shells have there."""
    if str(settings["along"]) not in STRANDS:
        return float32(ground.mesh.corners())
    shells = ground.shells()
    metres = np.sqrt(_areas(ground.mesh.corners(), shells) / np.maximum(_areas(ground.uv, shells), 1e-12))[shells]
    # Each shell has a layer of its own, far from that of the next.
    layer = np.broadcast_to((shells * 16.5)[:, None] * float(settings["size"]), ground.uv.shape[:2])
    return float32(np.concatenate([ground.uv * metres[:, None, None], layer[..., None]], axis=-1))


def _areas(corners: Samples, shells: Samples) -> Samples:
    """The area of each shell of triangles (F, 3, 2 or 3)."""
    one, other = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    squared = (one * one).sum(-1) * (other * other).sum(-1) - (one * other).sum(-1) ** 2
    return np.bincount(shells, np.sqrt(np.maximum(squared.astype(np.float64), 0)) / 2)


def tracer(ground: Ground, settings: Settings) -> Tracer:
    """Gives the noise at positions, (n, 1) 0..1."""
    cell = np.full(3, float(settings["size"]))
    along = str(settings["along"])
    if along != "none":
        cell[STRANDS[along] if along in STRANDS else "xyz".index(along)] *= float(settings["stretch"])
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
                  choices=(("none", "Not at all"), *AXES, ("across", "Strands across the sheet"),
                           ("down", "Strands down the sheet"))),
        SettingSpec("stretch", "Stretch", 4.0, "How many times as long they are along it.", 1, 64,
                  when=("along", ("x", "y", "z", *STRANDS))),
        *SETTINGS[4:],
    ),
)  # fmt: skip
