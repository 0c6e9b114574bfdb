"""Rays against a mesh through Embree: cosine-weighted hemispheres for occlusion and thickness."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

import numba as nb
import numpy as np

from even_palette.core.arrays import Bools, Floats, Samples, float32
from even_palette.core.chance_kernel import pcg_compiled
from even_palette.core.jobs import CancelToken
from even_palette.core.mesh.model import Mesh, diagonal

RAYS_A_CALL = 1 << 18
MOST_HOLES = 64
"""So many holes a ray goes through; what lies behind them is not met."""
LIFT = 1e-5
"""Rays start this share of the mesh's diagonal off the surface."""


@dataclass(frozen=True, eq=False)
class Scene:
    """A mesh that rays can be shot at, from any thread. Holds its arrays, which Embree reads.

    Where `solid_at` is given, it says of faces (n,) at barycentric places (u, v) whether there is anything to hit:
    elsewhere rays go on.
    """

    embree: Any
    diagonal: float
    solid_at: Callable[[Samples, Floats, Floats], Bools] | None = None

    def open_share(
        self, points: Floats, normals: Floats, faces_up: Floats, numbers: Samples, rays: int, reach: float, seed: int,
        cancel: CancelToken | None = None,
    ) -> Floats:  # fmt: skip
        """The cosine-weighted share of the sky (n,) that is open at points (n, 3) with unit normals (n, 3).

        `faces_up` (n, 3) are the normals of the faces themselves: rays start on their side, and those that would go
        below them are not counted. `numbers` (n,) seed each point's rays; `reach` is how far they go, in metres.
        """
        return self._shoot(points, normals, faces_up, numbers, rays, reach, seed, "OCCLUDED", cancel)

    def mean_distance(
        self, points: Floats, normals: Floats, faces_up: Floats, numbers: Samples, rays: int, reach: float, seed: int,
        cancel: CancelToken | None = None,
    ) -> Floats:  # fmt: skip
        """The mean distance (n,) to the mesh, at most `reach`, over cosine-weighted rays; arguments as above."""
        return self._shoot(points, normals, faces_up, numbers, rays, reach, seed, "DISTANCE", cancel)

    def _shoot(
        self, points: Floats, normals: Floats, faces_up: Floats, numbers: Samples, rays: int, reach: float, seed: int,
        query: str, cancel: CancelToken | None,
    ) -> Floats:  # fmt: skip
        result = np.empty(len(points), dtype=np.float32)
        fans = self._fans(points, normals, faces_up, numbers, rays, seed, cancel)
        for first, last, origins, directions, weights in fans:
            if self.solid_at is not None:
                met = self._first_solid(origins, directions, reach)
                far = np.where(met.faces >= 0, met.distances, reach)
                values = float32(met.faces < 0) if query == "OCCLUDED" else np.minimum(far, np.float32(reach))
            else:
                limits = np.full(len(origins), reach, dtype=np.float32)
                hit = self.embree.run(origins, directions, dists=limits, query=query)
                # A ray that hits something is 0, one that hits nothing -1; distances are beyond the reach for those.
                values = float32(hit != 0) if query == "OCCLUDED" else np.minimum(hit, np.float32(reach))
            result[first:last] = _mean(values, weights, rays)
        return result

    def _first_solid(self, origins: Floats, directions: Floats, reach: float) -> "Met":
        """What each ray meets first within the reach, holes left out."""
        count = len(origins)
        u, v, way = np.zeros((3, count), np.float32)
        met = Met(np.full(count, -1, np.int32), u, v, way, np.zeros((count, 3), np.float32))
        on, begin, gone = np.arange(count), np.array(origins, np.float32), np.zeros(count, np.float32)
        for _ in range(MOST_HOLES):
            if not len(on):
                break
            limits = np.maximum(np.float32(reach) - gone[on], 0)
            hit = self.embree.run(begin[on], directions[on], dists=limits, query="INTERSECT", output=True)
            there = hit["primID"] >= 0
            on, faces = on[there], hit["primID"][there]
            u, v, way = (float32(hit[name][there]) for name in ("u", "v", "tfar"))
            solid = np.ones(len(on), bool) if self.solid_at is None else self.solid_at(faces, u, v)
            met.take(on[solid], faces[solid], u[solid], v[solid], (gone[on] + way)[solid], hit["Ng"][there][solid])
            on, way = on[~solid], way[~solid] + np.float32(self.diagonal * LIFT)
            begin[on] += directions[on] * way[:, None]
            gone[on] += way
        return met

    def _fans(
        self, points: Floats, normals: Floats, faces_up: Floats, numbers: Samples, rays: int, seed: int,
        cancel: CancelToken | None,
    ) -> Iterator[tuple[int, int, Floats, Floats, Floats]]:  # fmt: skip
        """The rays of some points after others: the first and after the last point, origins, directions, weights.

        The arrays are used again for the next points. Raises Cancelled.
        """
        step = max(1, RAYS_A_CALL // rays)
        origins = np.empty((step * rays, 3), dtype=np.float32)
        directions, weights = np.empty_like(origins), np.empty(step * rays, dtype=np.float32)
        for first in range(0, len(points), step):
            if cancel:
                cancel.check()
            last = min(first + step, len(points))
            count = (last - first) * rays
            _fan(
                points[first:last], normals[first:last], faces_up[first:last], numbers[first:last], rays, seed,
                self.diagonal * LIFT, origins, directions, weights,
            )  # fmt: skip
            yield first, last, origins[:count], directions[:count], weights[:count]

    def gathered(
        self, points: Floats, normals: Floats, faces_up: Floats, numbers: Samples, rays: int, reach: float, seed: int,
        light_at: Callable[[Samples, Floats, Floats], Floats], cancel: CancelToken | None = None,
    ) -> Floats:  # fmt: skip
        """The mean light (n, 3) over cosine-weighted rays; arguments as for `open_share`.

        `light_at` gives what faces (m,) send out at barycentric places (u, v); only their fronts do.
        """
        result = np.zeros((len(points), 3), dtype=np.float32)
        fans = self._fans(points, normals, faces_up, numbers, rays, seed, cancel)
        for first, last, origins, directions, weights in fans:
            met = self._first_solid(origins, directions, reach)
            front = (met.faces >= 0) & ((met.outwards * directions).sum(axis=-1) < 0)
            light = np.zeros((len(origins), 3), dtype=np.float32)
            light[front] = light_at(met.faces[front], met.u[front], met.v[front])
            share = weights.reshape(-1, rays)
            total = (light.reshape(-1, rays, 3) * share[..., None]).sum(axis=1)
            result[first:last] = total / np.maximum(share.sum(axis=1), 1e-9)[:, None]
        return result

    def first_hit(self, origins: Floats, directions: Floats, reach: float) -> tuple[Samples, Floats]:
        """The face (n,) int32 that each ray meets first within the reach, -1 for none, and its distance (n,)."""
        limits = np.full(len(origins), reach, dtype=np.float32)
        face = self.embree.run(float32(origins), float32(directions), dists=limits, query="INTERSECT")
        limits = np.full(len(origins), reach, dtype=np.float32)
        distance = self.embree.run(float32(origins), float32(directions), dists=limits, query="DISTANCE")
        return np.asarray(face), float32(np.where(face >= 0, distance, np.inf))


@dataclass(frozen=True, eq=False)
class Met:
    """What rays (n,) meet: the face, -1 for none, the barycentric place (u, v) on it, how far it is, and its normal."""

    faces: Samples
    u: Floats
    v: Floats
    distances: Floats
    outwards: Floats

    def take(self, rays: Samples, faces: Samples, u: Floats, v: Floats, distances: Floats, outwards: Floats) -> None:
        """What some of the rays meet."""
        self.faces[rays], self.u[rays], self.v[rays] = faces, u, v
        self.distances[rays], self.outwards[rays] = distances, outwards


def build_scene(
    mesh: Mesh,
    around: Floats | None = None,
    solid_at: Callable[[Samples, Floats, Floats], Bools] | None = None,
) -> Scene:
    """The mesh in Embree's tree; then, counted on from its faces, triangles (F, 3, 3) that stand around it."""
    from embreex.mesh_construction import TriangleMesh
    from embreex.rtcore_scene import EmbreeScene

    scene = EmbreeScene()
    points, faces = mesh.points, mesh.faces
    if around is not None and len(around):
        more = np.arange(len(around) * 3).reshape(-1, 3) + len(points)
        points, faces = np.concatenate([points, around.reshape(-1, 3)]), np.concatenate([faces, more])
    TriangleMesh(scene, np.ascontiguousarray(points, np.float32), np.ascontiguousarray(faces, dtype=np.int32))
    # The tree is built with the first ray; let it not be two threads that shoot it.
    scene.run(np.zeros((1, 3), np.float32), np.ones((1, 3), np.float32), query="OCCLUDED")
    return Scene(scene, diagonal(mesh), solid_at)


@nb.njit(nogil=True, cache=True)
def _fan(points, normals, faces_up, numbers, rays, seed, lift, origins, directions, weights):  # type: ignore[no-untyped-def]
    """Rays by the R2 sequence (Roberts 2018), turned and shifted at random for each point, mapped to the
    cosine-weighted hemisphere by the disc (Malley's method; Pharr, Jakob, Humphreys)."""
    for i in range(len(points)):
        first = pcg_compiled(np.uint32(numbers[i]) ^ pcg_compiled(np.uint32(seed)))
        shift_u = first / 4294967296.0
        shift_v = pcg_compiled(first) / 4294967296.0
        nx, ny, nz = normals[i, 0], normals[i, 1], normals[i, 2]
        # A frame without branches (Duff et al. 2017).
        sign = 1.0 if nz >= 0.0 else -1.0
        a = -1.0 / (sign + nz)
        b = nx * ny * a
        tx, ty, tz = 1.0 + sign * nx * nx * a, sign * b, -sign * nx
        bx, by, bz = b, sign + ny * ny * a, -ny
        gx, gy, gz = faces_up[i, 0], faces_up[i, 1], faces_up[i, 2]
        for k in range(rays):
            u = (k * 0.7548776662466927 + shift_u) % 1.0
            v = (k * 0.5698402909980532 + shift_v) % 1.0
            radius = np.sqrt(u)
            angle = 6.283185307179586 * v
            x, y, z = radius * np.cos(angle), radius * np.sin(angle), np.sqrt(max(0.0, 1.0 - u))
            dx = x * tx + y * bx + z * nx
            dy = x * ty + y * by + z * ny
            dz = x * tz + y * bz + z * nz
            at = i * rays + k
            weights[at] = 1.0 if dx * gx + dy * gy + dz * gz > 0.0 else 0.0
            directions[at, 0], directions[at, 1], directions[at, 2] = dx, dy, dz
            origins[at, 0] = points[i, 0] + gx * lift
            origins[at, 1] = points[i, 1] + gy * lift
            origins[at, 2] = points[i, 2] + gz * lift


@nb.njit(nogil=True, cache=True)
def _mean(values, weights, rays):  # type: ignore[no-untyped-def]
    out = np.empty(len(values) // rays, dtype=np.float32)
    for i in range(len(out)):
        total = weight = 0.0
        for k in range(i * rays, (i + 1) * rays):
            total += values[k] * weights[k]
            weight += weights[k]
        out[i] = total / weight if weight > 0.0 else 1.0
    return out
