"""Elements of a mesh: what can be given to a region. Faces, shells, UV islands, slots, objects, vertex colours."""

from dataclasses import dataclass

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from even_palette.core.arrays import Bools, Floats, Samples, float32
from even_palette.core.colour.hexcode import format_hex
from even_palette.core.mesh.kinds import ElementKind, Likeness
from even_palette.core.mesh.model import Mesh, distinct_rows, face_normals


@dataclass(frozen=True, eq=False)
class Elements:
    """The elements of one kind: each face's number (F,) int32, names, and faces and share of the area of each."""

    kind: ElementKind
    labels: Samples
    names: tuple[str, ...]
    face_counts: Samples
    area_shares: Floats

    @property
    def count(self) -> int:
        """The number of elements."""
        return len(self.face_counts)

    def name(self, number: int) -> str:
        """The element's own name, or its kind and number."""
        return self.names[number] if self.names else f"{self.kind[:1].upper()}{self.kind[1:]} {number + 1}"

    def faces_of(self, chosen: Bools) -> Bools:
        """The faces (F,) of the elements that hold a chosen face (F,)."""
        hit = np.zeros(self.count, dtype=bool)
        hit[self.labels[chosen]] = True
        return np.asarray(hit[self.labels])


def elements(mesh: Mesh, kind: ElementKind, uv_set: int = 0) -> Elements:
    """Divide a mesh into elements. Numbers follow the order of the faces."""
    names: tuple[str, ...] = ()
    match kind:
        case ElementKind.FACE:
            labels = np.arange(mesh.face_count, dtype=np.int32)
        case ElementKind.SHELL:
            labels = shell_labels(mesh)
        case ElementKind.ISLAND:
            labels = island_labels(mesh, uv_set)
        case ElementKind.SLOT:
            labels, names = _named(mesh.face_slot, mesh.slots)
        case ElementKind.OBJECT:
            labels, names = _named(mesh.face_object, mesh.objects)
        case ElementKind.COLOUR:
            labels, names = _colour_groups(mesh)
    count = int(labels.max()) + 1 if len(labels) else 0
    areas = np.bincount(labels, weights=face_normals(mesh.corners())[1], minlength=count)
    total = float(areas.sum())
    counts = np.bincount(labels, minlength=count)
    return Elements(kind, labels, names, counts, float32(areas / total if total else areas))


def shell_labels(mesh: Mesh) -> Samples:
    """The connected piece of each face, (F,) int32: pieces hang together over edges, joined by position."""
    one, other = faces_beside(mesh.faces)
    return _components(one, other, mesh.face_count)


def island_labels(mesh: Mesh, uv_set: int = 0) -> Samples:
    """The UV island of each face, (F,) int32: faces that share an edge with the same UVs at both of its ends."""
    if not mesh.uv_sets:
        return np.zeros(mesh.face_count, dtype=np.int32)
    one, other = faces_beside(mesh.faces, mesh.uv_sets[uv_set])
    return _components(one, other, mesh.face_count)


def faces_beside(faces: Samples, uv: Floats | None = None) -> tuple[Samples, Samples]:
    """Pairs of faces (n,), (n,) that share an edge; with uv (F, 3, 2) only where both ends have the same UVs too.

    More than two faces at one edge form a chain of pairs. Edges without length connect nothing.
    """
    ends = np.stack([faces, np.roll(faces, -1, axis=1)], axis=-1).reshape(-1, 2)
    face = np.repeat(np.arange(len(faces), dtype=np.int64), 3)
    turned = ends[:, 0] > ends[:, 1]
    low, high = np.where(turned, ends[:, 1], ends[:, 0]), np.where(turned, ends[:, 0], ends[:, 1])
    long = low != high
    if uv is None:
        keys = (low.astype(np.int64) << 32) | high
    else:
        at = np.ascontiguousarray(uv, dtype=np.float32) + np.float32(0)
        both = np.concatenate([at, np.roll(at, -1, axis=1)], axis=-1).reshape(-1, 4)
        both = np.where(turned[:, None], both[:, [2, 3, 0, 1]], both)
        rows = np.concatenate([low[:, None], high[:, None], both.view(np.uint32)], axis=1)
        keys = distinct_rows(rows)[1].astype(np.int64)
    keys, face = keys[long], face[long]
    order = np.argsort(keys, kind="stable")
    keys, face = keys[order], face[order]
    same = keys[1:] == keys[:-1]
    return face[:-1][same], face[1:][same]


def _components(one: Samples, other: Samples, count: int) -> Samples:
    graph = coo_matrix((np.ones(len(one), dtype=np.int8), (one, other)), shape=(count, count))
    _, labels = connected_components(graph, directed=False)
    return in_order_of_use(labels)


def in_order_of_use(labels: Samples) -> Samples:
    """Labels renumbered from 0 in the order of their first use, int32."""
    return distinct_rows(np.asarray(labels)[:, None])[1]


def _named(numbers: Samples, names: tuple[str, ...]) -> tuple[Samples, tuple[str, ...]]:
    """Labels of the names that are used."""
    first, labels = distinct_rows(numbers[:, None])
    return labels, tuple(names[number] for number in numbers[first])


def _colour_groups(mesh: Mesh) -> tuple[Samples, tuple[str, ...]]:
    """Faces by the colour that two or more of their corners have, else that of the first corner."""
    if mesh.colours is None:
        return np.zeros(mesh.face_count, dtype=np.int32), ("No vertex colours",)
    colours = mesh.colours
    later = np.all(colours[:, 1] == colours[:, 2], axis=-1)
    chosen = np.where(later[:, None], colours[:, 1], colours[:, 0])
    first, labels = distinct_rows(chosen)
    return labels, tuple(format_hex((int(r), int(g), int(b))) for r, g, b in chosen[first])


def grown(mesh: Mesh, chosen: Bools) -> Bools:
    """The chosen faces (F,) and all that share a point with them."""
    touched = np.zeros(len(mesh.points), dtype=bool)
    touched[mesh.faces[chosen]] = True
    return np.asarray(touched[mesh.faces].any(axis=1))


def shrunk(mesh: Mesh, chosen: Bools) -> Bools:
    """The chosen faces (F,) without those that share a point with one that is not chosen."""
    return np.asarray(chosen & ~grown(mesh, ~chosen))


SIZE_TOLERANCE = 0.02


def similar(mesh: Mesh, chosen: Bools, by: Likeness, of: Elements) -> Bools:
    """The faces (F,) of the elements that are like one that holds a chosen face.

    Sizes are areas that differ by at most 2 %.
    """
    if not chosen.any():
        return chosen
    if by == Likeness.SIZE:
        sizes = np.unique(of.area_shares[np.unique(of.labels[chosen])])
        place = np.searchsorted(sizes, of.area_shares)
        near = np.zeros(of.count, dtype=bool)
        for shift in (-1, 0):
            size = sizes[np.clip(place + shift, 0, len(sizes) - 1)]
            near |= np.abs(of.area_shares - size) <= SIZE_TOLERANCE * np.maximum(size, of.area_shares)
        return np.asarray(near[of.labels])
    labels = mesh.face_slot if by == Likeness.SLOT else _colour_groups(mesh)[0]
    like = np.isin(labels, np.unique(labels[chosen]))
    return of.faces_of(like)
