"""Seams: edges of a mesh on which the UVs of two faces part, and what of its islands ends where nothing follows."""

from dataclasses import dataclass

import numpy as np

from even_palette.core.arrays import Floats, float32
from even_palette.core.mesh.model import Mesh

SAME = 1 / (1 << 18)
"""UVs that lie no farther apart are one: a 64th of a texel of a map of 4096 texels."""


@dataclass(frozen=True, eq=False)
class Seams:
    """The borders of UV islands.

    `both` (n, 2, 2, 2) float32 are the edges on which two faces meet with other UVs: for each side the uv of the same
    two ends. `alone` (m, 2, 2) are edges that one face has: the uv of both ends.
    """

    both: Floats
    alone: Floats

    @property
    def borders(self) -> Floats:
        """All borders of islands, (k, 2, 2): both sides of seams, and edges that one face has."""
        return np.concatenate([self.both.reshape(-1, 2, 2), self.alone])


def seams(mesh: Mesh, uv: Floats) -> Seams:
    """The seams of a mesh in UVs (F, 3, 2). Edges that three faces or more have are left out: nothing is beside them
    alone."""
    ends = np.stack([mesh.faces, np.roll(mesh.faces, -1, axis=1)], axis=-1).reshape(-1, 2)
    at = np.stack([uv, np.roll(uv, -1, axis=1)], axis=2).reshape(-1, 2, 2)
    turned = ends[:, 0] > ends[:, 1]
    ends[turned], at[turned] = ends[turned][:, ::-1], at[turned][:, ::-1]
    _, number, count = np.unique(ends, axis=0, return_inverse=True, return_counts=True)
    number = number.ravel()
    order = np.argsort(number, kind="stable")
    pairs = order[count[number[order]] == 2].reshape(-1, 2)
    both = at[pairs]
    apart = np.abs(both[:, 0] - both[:, 1]).max(axis=(1, 2), initial=0.0) > SAME
    return Seams(float32(both[apart]), float32(at[order[count[number[order]] == 1]]))


def along(edges: Floats, most: int) -> Floats:
    """Points evenly spread along edges (n, ..., 2, 2) by their longest length in uv, (m, ..., 2), at most so many.

    Sides of one edge get points at the same parts of it.
    """
    steps = edges[..., 1, :] - edges[..., 0, :]
    lengths = np.linalg.norm(steps.astype(np.float64), axis=-1)
    lengths = lengths.max(axis=tuple(range(1, lengths.ndim)), initial=0.0)
    ends = np.cumsum(lengths)
    if not len(ends) or ends[-1] <= 0:
        return np.zeros((0, *edges.shape[1:-2], 2), dtype=np.float32)
    places = (np.arange(most) + 0.5) / most * ends[-1]
    which = np.minimum(np.searchsorted(ends, places, side="right"), len(ends) - 1)
    share = (places - (ends - lengths)[which]) / np.maximum(lengths[which], 1e-12)
    share = share.reshape(-1, *([1] * (edges.ndim - 2)))
    return float32(edges[which][..., 0, :] + steps[which] * share)
