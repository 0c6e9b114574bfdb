"""Along: 0 at the root and 1 at the tip of each shell, by UV direction or by the way from picked root faces.

A shell may hold several strands side by side, as cards of hair or leaves do; each then has its own root and tip.
"""

import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.chance import hashed_unit
from even_palette.core.jobs import CancelToken
from even_palette.core.mesh.bakes._declare import SEED, BakeKind, Ground, Reads, Tracer
from even_palette.core.mesh.model import distinct_rows
from even_palette.core.noise import Noise, noise_at
from even_palette.core.settings import Settings, SettingSpec

MOST_STRANDS = 256

WAYS = (
    ("up", "Up the sheet"),
    ("down", "Down the sheet"),
    ("right", "To the right of the sheet"),
    ("left", "To the left of the sheet"),
    ("way", "The way from root faces"),
)


def corners(ground: Ground, settings: Settings) -> Floats:
    """Along each shell, 0 at the root to 1 at the tip; across it, 0 to 1; and its number: (F, 3, 3) float32."""
    way, shells = str(settings["way"]), ground.shells()
    sideways = way in ("left", "right")
    at = by_way(ground) if way == "way" else ground.uv[..., 0 if sideways else 1]
    along = normalized(at, shells, turned=way in ("up", "left"))
    across = normalized(ground.uv[..., 1 if sideways else 0], shells, turned=False)
    return float32(np.stack([along, across, np.broadcast_to(shells[:, None], along.shape)], axis=-1))


def tracer(ground: Ground, settings: Settings) -> Tracer:
    """Gives how far along a texel is, (n, 1): clamp(along + (r - 1/2) apart), r a random number or noise 0..1.

    By strand, r is a hash of shell and strand; by noise, clouds as wide as a strand and as long as the shell.
    """
    strands, apart = float(settings["strands"]), float(settings["apart"])
    seed = int(float(settings["seed"]))

    def trace(values: Floats, numbers: Samples, cancel: CancelToken | None) -> Floats:
        along, across, shell = values[:, 0], values[:, 1].astype(np.float64) * strands, np.rint(values[:, 2])
        if apart == 0:
            return along[:, None]
        if settings["by"] == "strand":
            strand = np.clip(np.floor(across), 0, strands - 1)
            moved = hashed_unit(np.asarray(shell * MOST_STRANDS + strand, dtype=np.int64), seed)
        else:
            places = np.stack([across, along.astype(np.float64), shell * 16 + 0.5], axis=-1)
            moved = noise_at(places, Noise(octaves=2, contrast=2.0, seed=seed), cancel)
        return float32(np.clip(along + (moved - 0.5) * apart, 0, 1))[:, None]

    return trace


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
    "along", "Along", "0 at the root and 1 at the tip of each shell.", 11, 1, 16, corners, tracer,
    reads=frozenset({Reads.ROOTS}),
    values=(
        SettingSpec("way", "Direction", "up", "Where the tip lies from the root; root faces are picked in a pane.",
                  choices=WAYS),
        SettingSpec("apart", "Strands apart", 0.0, "How far roots and tips of strands lie apart, of the whole length.",
                    0, 1),
        SettingSpec("strands", "Strands", 8.0, "How many strands lie side by side on a shell.", 1, MOST_STRANDS, True),
        SettingSpec("by", "Moved by", "strand", "Each strand by itself, or softly from one to the next.",
                    choices=(("strand", "Strand"), ("noise", "Noise"))),
        SEED,
    ),
)  # fmt: skip
