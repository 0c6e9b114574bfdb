"""What a bake declares, and the mesh that it is made from."""

from collections.abc import Callable
from dataclasses import dataclass, field, replace

import numpy as np

from even_palette.core.arrays import Bools, Floats, Levels, Samples
from even_palette.core.jobs import CancelToken
from even_palette.core.mesh.elements import island_labels, shell_labels
from even_palette.core.mesh.model import Mesh
from even_palette.core.mesh.rays import Scene, build_scene, diagonal
from even_palette.core.settings import Settings, SettingSpec, filled


@dataclass(eq=False)
class Ground:
    """A mesh to bake from, with what bakes share; made anew for each state of the mesh.

    `face_colours` (F, 3) uint8 are the ID colours of the regions, black for none; `roots` (F,) the picked root faces;
    `other` another mesh in the same place with the colours of its faces (G, 3) uint8; `light` (H, W, 3) float32 what
    the texels of the sheet give, linear.
    """

    mesh: Mesh
    uv: Floats
    face_colours: Levels
    roots: Bools
    other: Mesh | None = None
    other_colours: Levels | None = None
    light: Floats | None = None
    _kept: dict[str, object] = field(default_factory=dict)

    @property
    def diagonal(self) -> float:
        return diagonal(self.mesh)

    def shells(self) -> Samples:
        return self._keep("shells", lambda: shell_labels(self.mesh))  # type: ignore[return-value]

    def islands(self) -> Samples:
        return self._keep(  # type: ignore[return-value]
            "islands", lambda: island_labels(replace(self.mesh, uv_sets=(self.uv,)))
        )

    def scene(self) -> Scene:
        return self._keep("scene", lambda: build_scene(self.mesh))  # type: ignore[return-value]

    def light_at(self, faces: Samples, u: Floats, v: Floats) -> Floats:
        """What the faces (n,) give at barycentric places, (n, 3) linear; that of the nearest texel."""
        if self.light is None:
            return np.zeros((len(faces), 3), dtype=np.float32)
        corners = self.uv[faces]
        at = corners[:, 0] * (1 - u - v)[:, None] + corners[:, 1] * u[:, None] + corners[:, 2] * v[:, None]
        height, width = self.light.shape[:2]
        columns = np.clip((at[:, 0] * width).astype(int), 0, width - 1)
        rows = np.clip((at[:, 1] * height).astype(int), 0, height - 1)
        return np.asarray(self.light[rows, columns])

    def _keep(self, name: str, make: Callable[[], object]) -> object:
        if name not in self._kept:
            self._kept[name] = make()
        return self._kept[name]


Tracer = Callable[[Floats, Samples, CancelToken | None], Floats]
"""Turns what was carried to texels (n, C) and the texels' numbers (n,) into their values (n, channels), 0..1."""


@dataclass(frozen=True)
class BakeKind:
    """How a bake is made: values at the corners of faces (F, 3, C), carried to texels, and perhaps traced from there.

    Index-like bakes are taken at texel centres and never mixed; others are averaged over the samples of a texel.
    """

    name: str
    label: str
    told: str
    place: int
    channels: int
    bits: int
    corners: Callable[[Ground, Settings], Floats]
    tracer: Callable[[Ground, Settings], Tracer] | None = None
    index_like: bool = False
    background: float = 0.0
    values: tuple[SettingSpec, ...] = ()
    reads_light: bool = False
    """Whether it is made from what the sheet's texels give in a variant."""

    def settings(self, own: Settings) -> dict[str, float | str]:
        """The settings with defaults filled in, numbers held in their ranges."""
        return filled(self.values, own)


def flat(values: Samples) -> Floats:
    """Values of faces (F, C), at all three corners."""
    return np.repeat(np.asarray(values, dtype=np.float32)[:, None], 3, axis=1)


AXES = (("y", "Up (y)"), ("x", "Right (x)"), ("z", "Front (z)"))
RAYS = SettingSpec("rays", "Rays", 64.0, "Rays a texel; more are smoother and slower.", 16, 4096, True)
REACH = SettingSpec(
    "reach", "Reach", 0.25, "How far rays go, as a share of the mesh's diagonal; 1 is without end.", 0.01, 1.0
)
SEED = SettingSpec(
    "seed", "Seed", 1.0, "Another seed gives other random numbers; the same one the same bytes.", 0, 9999, True
)

SMOOTH = SettingSpec(
    "smooth", "Smoothing", 0.0, "Takes noise out over so many texels; it keeps to UV islands and edges.", 0, 8, True,
    unit="px",
)  # fmt: skip


def reach_of(ground: Ground, settings: Settings) -> float:
    """The reach in metres; a share of 1 is without end."""
    share = float(settings["reach"])
    return 1e9 if share >= 1 else share * ground.diagonal
