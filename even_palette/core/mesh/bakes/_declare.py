"""What a bake declares, and the mesh that it is made from.

Declarations are read at every start. So modules with compiled loops or sparse graphs, which take half a second to
import, are imported where a bake is made.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from enum import StrEnum
from typing import TYPE_CHECKING

import numpy as np

from even_palette.core.arrays import Bools, Floats, Levels, Samples
from even_palette.core.jobs import CancelToken
from even_palette.core.mesh.model import Mesh, diagonal
from even_palette.core.settings import Settings, SettingSpec, filled

if TYPE_CHECKING:
    from even_palette.core.mesh.rays import Scene


class Reads(StrEnum):
    """What a bake may be made from beside the mesh on the sheet and its own settings; its name holds all of it."""

    REGIONS = "regions"
    ROOTS = "roots"
    OTHER = "other mesh"
    LIGHT = "light"


@dataclass(eq=False)
class Ground:
    """A mesh to bake from, with what bakes share; made anew for each state of the mesh.

    What a bake does not say that it reads is not there. `face_colours` (F, 3) uint8 are the ID colours of the regions,
    black for none; `roots` (F,) the picked root faces; `other` another mesh in the same place with the colours of its
    faces (G, 3) uint8; `light` (H, W, 3) float32 what the texels of the sheet give, linear.
    """

    mesh: Mesh
    uv: Floats
    face_colours: Levels | None = None
    roots: Bools | None = None
    other: Mesh | None = None
    other_colours: Levels | None = None
    light: Floats | None = None
    _kept: dict[str, object] = field(default_factory=dict)

    @property
    def diagonal(self) -> float:
        """The length of the bounding box's diagonal, in metres."""
        return diagonal(self.mesh)

    def shells(self) -> Samples:
        """The shell of each face, (F,)."""
        from even_palette.core.mesh.elements import shell_labels

        return self._keep("shells", lambda: shell_labels(self.mesh))  # type: ignore[return-value]

    def islands(self) -> Samples:
        """The UV island of each face, (F,)."""
        from even_palette.core.mesh.elements import island_labels

        return self._keep(  # type: ignore[return-value]
            "islands", lambda: island_labels(replace(self.mesh, uv_sets=(self.uv,)))
        )

    def scene(self) -> Scene:
        """The mesh made ready for rays."""
        from even_palette.core.mesh.rays import build_scene

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

    Index-like bakes are taken at texel centres and never mixed; others are averaged over the samples of a texel. One
    that `counts_lost` tells how many of the texels that the mesh covers found nothing and stayed 0.
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
    counts_lost: bool = False
    background: float = 0.0
    values: tuple[SettingSpec, ...] = ()
    reads: frozenset[Reads] = frozenset()

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
