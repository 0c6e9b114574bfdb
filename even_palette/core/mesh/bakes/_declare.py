"""What a bake declares, and the mesh that it is made from.

Declarations are read at every start. So modules with compiled loops or sparse graphs, which take half a second to
import, are imported where a bake is made.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
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
    AROUND = "around"


@dataclass(frozen=True, eq=False)
class Caster:
    """Faces that rays meet: their corners (F, 3, 3) and uv (F, 3, 2) on their sheet.

    `solid` (H, W) says which texels of that sheet there are, None for all; `light` (H, W, 3) float32 what they give,
    linear, None for nothing.
    """

    corners: Floats
    uv: Floats
    solid: Bools | None = None
    light: Floats | None = None


@dataclass(eq=False)
class Ground:
    """A mesh to bake from, with what bakes share; made anew for each state of the mesh.

    What a bake does not say that it reads is not there. `face_colours` (F, 3) uint8 are the ID colours of the regions,
    black for none; `roots` (F,) the picked root faces; `other` another mesh in the same place with the colours of its
    faces (G, 3) uint8; `light` (H, W, 3) float32 what the texels of the sheet give, linear; `solid` (H, W) which of
    them there are, None for all; `around` what stands around.
    """

    mesh: Mesh
    uv: Floats
    face_colours: Levels | None = None
    roots: Bools | None = None
    other: Mesh | None = None
    other_colours: Levels | None = None
    light: Floats | None = None
    solid: Bools | None = None
    around: tuple[Caster, ...] = ()
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

    @property
    def casters(self) -> tuple[Caster, ...]:
        """All that rays meet, in the order in which a scene counts faces: the mesh itself, then what is around."""
        return Caster(self.mesh.corners(), self.uv, self.solid, self.light), *self.around

    def scene(self) -> Scene:
        """The mesh, and what stands around it, made ready for rays."""
        from even_palette.core.mesh.rays import build_scene

        def build() -> Scene:
            around = np.concatenate([caster.corners for caster in self.around]) if self.around else None
            holes = any(caster.solid is not None for caster in self.casters)
            return build_scene(self.mesh, around, self.solid_at if holes else None)

        return self._keep("scene", build)  # type: ignore[return-value]

    def light_at(self, faces: Samples, u: Floats, v: Floats) -> Floats:
        """What the faces (n,) of the scene give at barycentric places, (n, 3) linear; that of the nearest texel."""
        found = np.zeros((len(faces), 3), dtype=np.float32)
        for caster, chosen, own in self._by_caster(faces):
            if caster.light is not None:
                found[chosen] = _nearest(caster.light, caster.uv[own], u[chosen], v[chosen])
        return found

    def solid_at(self, faces: Samples, u: Floats, v: Floats) -> Bools:
        """Whether the faces (n,) of the scene are there at barycentric places, by the nearest texel."""
        found = np.ones(len(faces), dtype=bool)
        for caster, chosen, own in self._by_caster(faces):
            if caster.solid is not None:
                found[chosen] = _nearest(caster.solid, caster.uv[own], u[chosen], v[chosen])
        return found

    def _by_caster(self, faces: Samples) -> Iterator[tuple[Caster, Samples, Samples]]:
        """Each caster with the places in a list of faces that are its, and their numbers in it."""
        first = 0
        for caster in self.casters:
            chosen = np.flatnonzero((faces >= first) & (faces < first + len(caster.uv)))
            if len(chosen):
                yield caster, chosen, faces[chosen] - first
            first += len(caster.uv)

    def _keep(self, name: str, make: Callable[[], object]) -> object:
        if name not in self._kept:
            self._kept[name] = make()
        return self._kept[name]


def _nearest(texels: Samples, corners: Floats, u: Floats, v: Floats) -> Samples:
    """The texels (H, W, ...) at barycentric places (n,) of triangles in uv (n, 3, 2)."""
    at = corners[:, 0] * (1 - u - v)[:, None] + corners[:, 1] * u[:, None] + corners[:, 2] * v[:, None]
    height, width = texels.shape[:2]
    columns = np.clip((at[:, 0] * width).astype(int), 0, width - 1)
    rows = np.clip((at[:, 1] * height).astype(int), 0, height - 1)
    return np.asarray(texels[rows, columns])


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
