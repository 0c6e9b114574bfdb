"""Along: 0 at the root and 1 at the tip of each shell, by UV direction or by the way from picked root faces."""

import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.mesh.bakes._declare import BakeKind, Ground, Reads
from even_palette.core.mesh.model import distinct_rows
from even_palette.core.settings import Settings, SettingSpec

WAYS = (
    ("up", "Up the sheet"),
    ("down", "Down the sheet"),
    ("right", "To the right of the sheet"),
    ("left", "To the left of the sheet"),
    ("way", "The way from root faces"),
)


def corners(ground: Ground, settings: Settings) -> Floats:
    """Along each shell, (F, 3, 1) float32, 0 at the root to 1 at the tip."""
    way = str(settings["way"])
    at = by_way(ground) if way == "way" else ground.uv[..., 0 if way in ("left", "right") else 1]
    return float32(normalized(at, ground.shells(), turned=way in ("up", "left")))[..., None]


def normalized(at: Samples, labels: Samples, turned: bool) -> Samples:
    """Values at corners (F, 3) as 0..1 within each label (F,); `turned` puts 0 at the largest."""
    count = int(labels.max()) + 1
    low, high = np.full(count, np.inf), np.full(count, -np.inf)
    np.minimum.at(low, labels, at.min(axis=1))
    np.maximum.at(high, labels, at.max(axis=1))
    extent = np.where(high > low, high - low, 1)
    share = (at - low[labels][:, None]) / extent[labels][:, None]
    return np.asarray(1 - share if turned else share)


def by_way(ground: Ground) -> Samples:
    """The length of the way over edges from the root faces of each shell to its corners, (F, 3), in metres.

    A shell without a root face starts at its lowest points.
    """
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import dijkstra

    mesh, labels = ground.mesh, ground.shells()
    picked = np.zeros(len(labels), dtype=bool) if ground.roots is None else ground.roots
    rows = np.stack([np.repeat(labels, 3), mesh.faces.ravel()], axis=-1)
    first, number = distinct_rows(rows)
    nodes = number.reshape(-1, 3)
    node_shell, node_point = rows[first, 0], rows[first, 1]
    ends = np.concatenate([nodes[:, [0, 1]], nodes[:, [1, 2]], nodes[:, [2, 0]]])
    place = mesh.points[node_point].astype(np.float64)
    length = np.linalg.norm(place[ends[:, 0]] - place[ends[:, 1]], axis=1)
    keep, _ = distinct_rows(np.sort(ends, axis=1))
    keep = keep[length[keep] > 0]
    graph = coo_matrix((length[keep], (ends[keep, 0], ends[keep, 1])), shape=(len(first), len(first))).tocsr()
    roots = np.zeros(len(first), dtype=bool)
    roots[nodes[picked]] = True
    rooted = np.zeros(int(labels.max()) + 1, dtype=bool)
    rooted[labels[picked]] = True
    lowest = np.full(len(rooted), np.inf)
    np.minimum.at(lowest, node_shell, place[:, 1])
    roots |= ~rooted[node_shell] & (place[:, 1] <= lowest[node_shell] + 1e-6)
    distance = dijkstra(graph, directed=False, indices=np.flatnonzero(roots), min_only=True)
    return np.asarray(np.where(np.isfinite(distance), distance, 0)[nodes])


BAKE = BakeKind(
    "along", "Along", "0 at the root and 1 at the tip of each shell.", 11, 1, 16, corners,
    reads=frozenset({Reads.ROOTS}),
    values=(
        SettingSpec("way", "Direction", "up", "Where the tip lies from the root; root faces are picked in a pane.",
                  choices=WAYS),
    ),
)  # fmt: skip
