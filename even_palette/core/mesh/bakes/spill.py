"""Spill: light that glowing texels throw on the surfaces around them, one bounce."""

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.jobs import CancelToken
from even_palette.core.mesh.bakes._declare import RAYS, REACH, SEED, SMOOTH, BakeKind, Ground, Reads, Tracer, reach_of
from even_palette.core.mesh.bakes.occlusion import corners, unit
from even_palette.core.settings import Settings, SettingSpec

BRIGHTEST = SettingSpec(
    "brightest", "Brightest", 1.0, "The light that is stored as 1; a glow by this plane has it as its intensity.",
    0.05, 50.0, unit="×",
)  # fmt: skip


def tracer(ground: Ground, settings: Settings) -> Tracer:
    """Gives the light that arrives at points with normals, (n, 3), as a share of the brightest.

    Arriving light is the mean over cosine-weighted rays of what glows where they meet the front of a face: that of a
    patch times its view factor (Siegel and Howell).
    """
    scene, rays, seed = ground.scene(), int(settings["rays"]), int(settings["seed"])
    reach, share = reach_of(ground, settings), 1 / float(settings["brightest"])

    def trace(values: Floats, numbers: Samples, cancel: CancelToken | None) -> Floats:
        normals, up = unit(values[:, 3:6]), unit(values[:, 6:9])
        light = scene.gathered(values[:, :3], normals, up, numbers, rays, reach, seed, ground.light_at, cancel)
        return float32(light * share)

    return trace


BAKE = BakeKind(
    "spill", "Spill", "Light that glowing texels throw around them; add it by a glow with this plane.",
    13, 3, 16, corners, tracer, values=(BRIGHTEST, RAYS, REACH, SEED, SMOOTH),
    reads=frozenset({Reads.LIGHT, Reads.AROUND}),
)  # fmt: skip
