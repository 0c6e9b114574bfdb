"""A mesh: triangles over points that are joined by position, with everything else kept at the corners."""

import hashlib
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from even_palette.core.arrays import Bools, Floats, Levels, Samples, float32


@dataclass(frozen=True, eq=False)
class Mesh:
    """P points and F triangles. Right-handed, y up, metres; the front of a face is counter-clockwise.

    `points` (P, 3) float32, no two at the same place. `faces` (F, 3) int32 into them. At each corner of each face:
    `uv_sets`, each (F, 3, 2) float32 with v down from the top left corner (glTF 2.0, section 3.8.1); `normals`
    (F, 3, 3) float32 of length 1; `colours` (F, 3, 3) uint8 or None. Each face has one of the material `slots` and
    one of the `objects` by number, (F,) int32. `notes` tell what the file lacked or what was left out.
    """

    points: Floats
    faces: Samples
    uv_sets: tuple[Floats, ...]
    normals: Floats
    colours: Levels | None
    slots: tuple[str, ...]
    face_slot: Samples
    objects: tuple[str, ...]
    face_object: Samples
    notes: tuple[str, ...] = ()
    known_id: str = field(default="", compare=False)

    @property
    def face_count(self) -> int:
        """The number of triangles."""
        return len(self.faces)

    @cached_property
    def content_id(self) -> str:
        """Names the content: the SHA-256 of all arrays and names."""
        if self.known_id:
            return self.known_id
        digest = hashlib.sha256()
        for array in (self.points, self.faces, *self.uv_sets, self.normals, self.colours, self.face_slot):
            if array is not None:
                digest.update(np.ascontiguousarray(array).data)
        digest.update(repr((self.slots, self.objects)).encode())
        return digest.hexdigest()

    def corners(self) -> Floats:
        """Positions of the corners, (F, 3, 3)."""
        return self.points[self.faces]

    @cached_property
    def seen_points(self) -> Floats:
        """The points that faces have, (n, 3)."""
        return np.asarray(self.points[np.unique(self.faces)])

    def part(self, chosen: Bools) -> "Mesh":
        """The faces that are chosen, (F,), with the points of the whole."""
        return replace(
            self,
            faces=self.faces[chosen],
            uv_sets=tuple(uv[chosen] for uv in self.uv_sets),
            normals=self.normals[chosen],
            colours=None if self.colours is None else self.colours[chosen],
            face_slot=self.face_slot[chosen],
            face_object=self.face_object[chosen],
            known_id="",
        )


def join_positions(positions: Floats) -> tuple[Floats, Samples]:
    """The distinct rows of positions (N, 3), in order of their first use, and the number of each row's, (N,) int32.

    Only exactly equal positions are joined; -0 counts as 0.
    """
    rows = np.ascontiguousarray(positions, dtype=np.float32) + np.float32(0)
    first, number = distinct_rows(rows.view(np.uint32))
    return rows[first], number


def distinct_rows(rows: Samples) -> tuple[Samples, Samples]:
    """Where each distinct row of (N, K) integers is first used, (n,), and the number of every row's, (N,) int32."""
    if not len(rows):
        return np.zeros(0, dtype=np.int64), np.zeros(0, dtype=np.int32)
    keys = _hashed(rows)
    _, first, inverse = np.unique(keys, return_index=True, return_inverse=True)
    if not np.array_equal(rows[first[inverse]], rows):  # two different rows of one hash
        _, first, inverse = np.unique(rows, axis=0, return_index=True, return_inverse=True)
    order = np.argsort(first, kind="stable")
    rank = np.empty(len(order), dtype=np.int32)
    rank[order] = np.arange(len(order), dtype=np.int32)
    return first[order], rank[inverse.ravel()]


def diagonal(mesh: Mesh) -> float:
    """The length of the bounding box's diagonal, in metres."""
    return float(np.linalg.norm(np.ptp(mesh.points, axis=0))) if len(mesh.points) else 0.0


def _hashed(rows: Samples) -> Samples:
    """A 64-bit hash of each row (SplitMix64 finalizer, Steele et al. 2014)."""
    keys = np.zeros(len(rows), dtype=np.uint64)
    for column in rows.T:
        keys += column.astype(np.uint64) + np.uint64(0x9E3779B97F4A7C15)
        keys ^= keys >> np.uint64(30)
        keys *= np.uint64(0xBF58476D1CE4E5B9)
        keys ^= keys >> np.uint64(27)
        keys *= np.uint64(0x94D049BB133111EB)
        keys ^= keys >> np.uint64(31)
    return keys


def face_normals(corners: Floats) -> tuple[Floats, Floats]:
    """Unit normals (F, 3) and areas (F,) of triangles (F, 3, 3); a face without area has the normal 0."""
    wide = corners.astype(np.float64)
    cross = np.cross(wide[:, 1] - wide[:, 0], wide[:, 2] - wide[:, 0])
    length = np.linalg.norm(cross, axis=1)
    return float32(cross / np.where(length > 0, length, 1)[:, None]), float32(length / 2)


def build_mesh(
    positions: Floats,
    corners: Samples,
    uv_sets: tuple[Floats, ...] = (),
    normals: Floats | None = None,
    colours: Levels | None = None,
    slots: tuple[str, ...] = ("Material",),
    face_slot: Samples | None = None,
    objects: tuple[str, ...] = ("Mesh",),
    face_object: Samples | None = None,
    notes: tuple[str, ...] = (),
    known_id: str = "",
) -> Mesh:
    """A mesh from positions (N, 3) and corners (F, 3) into them; what is given at corners is (F, 3, ...).

    Positions that no face uses are left out.
    Without normals, or where a normal has no length, faces are flat (glTF 2.0, section 3.7.2.1).
    """
    used = np.zeros(len(positions), dtype=bool)
    used[corners.ravel()] = True
    points, number = join_positions(positions[used])
    faces = number[(np.cumsum(used) - 1)[corners]].astype(np.int32).reshape(-1, 3)
    flat, _ = face_normals(points[faces])
    whole = np.repeat(flat[:, None], 3, axis=1)
    if normals is not None:
        length = np.linalg.norm(normals, axis=-1, keepdims=True)
        usable = np.isfinite(length) & (length > 1e-12)
        whole = np.where(usable, normals / np.where(usable, length, 1), whole)
    none = np.zeros(len(faces), dtype=np.int32)
    return Mesh(
        points,
        faces,
        tuple(float32(uv) for uv in uv_sets),
        float32(whole),
        colours,
        slots,
        none if face_slot is None else face_slot.astype(np.int32),
        objects,
        none if face_object is None else face_object.astype(np.int32),
        notes,
        known_id,
    )


def joined(meshes: list[Mesh], known_id: str = "") -> Mesh:
    """Several meshes as one; points at the same place are joined, slots and objects of one name are one."""
    offsets = np.cumsum([0, *(len(mesh.points) for mesh in meshes)])
    slots = tuple(dict.fromkeys(name for mesh in meshes for name in mesh.slots))
    objects = tuple(dict.fromkeys(name for mesh in meshes for name in mesh.objects))
    sets = min(len(mesh.uv_sets) for mesh in meshes)
    colours = None
    if any(mesh.colours is not None for mesh in meshes):
        white = [np.full((m.face_count, 3, 3), 255, np.uint8) if m.colours is None else m.colours for m in meshes]
        colours = np.concatenate(white)
    return build_mesh(
        np.concatenate([mesh.points for mesh in meshes]),
        np.concatenate([mesh.faces + offset for mesh, offset in zip(meshes, offsets[:-1], strict=True)]),
        tuple(np.concatenate([mesh.uv_sets[index] for mesh in meshes]) for index in range(sets)),
        np.concatenate([mesh.normals for mesh in meshes]),
        colours,
        slots,
        np.concatenate([_renumbered(mesh.slots, slots)[mesh.face_slot] for mesh in meshes]),
        objects,
        np.concatenate([_renumbered(mesh.objects, objects)[mesh.face_object] for mesh in meshes]),
        tuple(dict.fromkeys(note for mesh in meshes for note in mesh.notes)),
        known_id,
    )


def _renumbered(names: tuple[str, ...], among: tuple[str, ...]) -> Samples:
    return np.array([among.index(name) for name in names], dtype=np.int32)
