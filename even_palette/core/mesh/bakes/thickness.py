"""Thickness: the mean way through the body along cosine-weighted rays into it, as a share of the reach."""

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.jobs import CancelToken
from even_palette.core.mesh.bakes._declare import RAYS, REACH, SEED, BakeKind, Ground, Reads, Tracer, reach_of
from even_palette.core.mesh.bakes.occlusion import corners, unit
from even_palette.core.settings import Settings


def tracer(ground: Ground, settings: Settings) -> Tracer:
    """Gives the mean way through the body under points with normals, (n, 1), as a share of the reach."""
    scene, rays, seed = ground.scene(), int(settings["rays"]), int(settings["seed"])
    reach = min(reach_of(ground, settings), ground.diagonal)

    def trace(values: Floats, numbers: Samples, cancel: CancelToken | None) -> Floats:
        inward, down = -unit(values[:, 3:6]), -unit(values[:, 6:9])
        mean = scene.mean_distance(values[:, :3], float32(inward), float32(down), numbers, rays, reach, seed, cancel)
        return float32(mean / reach)[:, None]

    return trace


BAKE = BakeKind(
    "thickness", "Thickness", "The mean way through the body below the surface; 1 is the reach or more.", 8, 1, 16,
    corners, tracer, background=1.0, values=(RAYS, REACH, SEED), reads=frozenset({Reads.AROUND}),
)  # fmt: skip
