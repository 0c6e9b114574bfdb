"""Fitting a palette: up to 256 colours that stand for those of a picture, or of several."""

from collections.abc import Callable, Sequence
from enum import StrEnum

import numpy as np

from even_palette.core.arrays import Floats, Levels, Samples, float32
from even_palette.core.colour.hexcode import Rgb8
from even_palette.core.colour.oklab import oklab_to_oklch
from even_palette.core.jobs import CancelToken, Progress, silent
from even_palette.core.tones.colours import Colours, coarse, codes_of, to_levels, to_oklab
from even_palette.core.tones.nearest import gathered, nearest_entries, shorter_path
from even_palette.core.tones.palette import MOST_ENTRIES

LEAST_ENTRIES = 2
EPOCHS, HELD = 44, 12
STARTS, NARROW, HASTE = (30 / 256, 40 / 256, 60 / 256), 0.42, 0.6
FAR, LEAST = 6.0, 0.001
"""How far an entry of a chain takes its neighbours along: at first as a share of all entries, at last, which is held
for some epochs, in entries; and the power of time by which that shrinks. Beside it a wide pull that is always there,
by its size in entries and its strength: compression puts an index farther off than filters do. Chosen by
`bench/bench_palettes.py` on photographs.
"""
ROUNDS = 60
CHAIN_CELLS, CELLS = 128, 192
"""Into how fine cells of OKLab colours are put together before a fit; a chain goes over them more often."""


class Method(StrEnum):
    """How a palette is fitted."""

    CHAIN = "chain"
    MEANS = "means"
    CUT = "cut"


class Order(StrEnum):
    """How the entries of a palette follow each other."""

    LIGHTNESS = "lightness"
    HUE = "hue"
    CHAIN = "chain"


def fit_palette(
    colours: Colours,
    size: int,
    method: Method = Method.CHAIN,
    kept: Sequence[Rgb8] = (),
    progress: Progress = silent,
    cancel: CancelToken | None = None,
) -> Levels:
    """At most `size` entries, (n, 3) uint8, for these colours; those that are `kept` are among them.

    Where there are no more colours than that, they are all in it, so the picture comes back exactly. Entries of a
    chain are ordered so that neighbours are alike; those of other methods by lightness. Raises Cancelled.
    """
    fixed = np.unique(np.array(kept, dtype=np.uint8).reshape(-1, 3), axis=0)
    own = _without(colours, fixed)
    free = min(max(size, LEAST_ENTRIES), MOST_ENTRIES) - len(fixed)
    if own.count <= max(free, 0):
        found = own.levels
    elif free <= 0:
        found = own.levels[:0]
    else:
        points, weights = coarse(own, CHAIN_CELLS if method == Method.CHAIN else CELLS)
        fitted = METHODS[method](points, weights, min(free, len(points)), progress, cancel)
        found = _filled_up(_distinct(to_levels(fitted)), own, free, cancel)
    entries = _distinct(np.concatenate([found, fixed]))
    if method != Method.CHAIN:
        return ordered(entries, Order.LIGHTNESS)
    return ordered(entries, Order.CHAIN) if len(fixed) or own.count <= free else entries


def _without(colours: Colours, fixed: Levels) -> Colours:
    left = ~np.isin(codes_of(colours.levels), codes_of(fixed))
    return Colours(colours.levels[left], colours.weights[left])


def _distinct(entries: Levels) -> Levels:
    """The entries in their order, each once."""
    _, first = np.unique(codes_of(entries), return_index=True)
    return entries[np.sort(first)]


def _filled_up(entries: Levels, colours: Colours, size: int, cancel: CancelToken | None) -> Levels:
    """Entries with more of them, where some became one in 8 bits: the colours that are off most, beside the nearest."""
    left = _without(colours, entries)
    lab = to_oklab(entries)
    which, far = nearest_entries(to_oklab(left.levels), lab, cancel=cancel)
    worst = np.argsort(-left.weights * far, kind="stable")[: max(0, size - len(entries))]
    for at in sorted(worst, key=lambda at: -which[at]):
        own, nearest = to_oklab(left.levels[at]), int(which[at])
        before, after = (np.square(own - lab[min(max(nearest + step, 0), len(lab) - 1)]).sum() for step in (-1, 1))
        entries = np.insert(entries, nearest + int(after < before), left.levels[at], axis=0)
    return entries


def fit_chain(points: Floats, weights: Samples, size: int, progress: Progress, cancel: CancelToken | None) -> Floats:
    """The best of several chains, (size, 3) OKLab: what stays least off when indices are off by their neighbours."""
    found: list[tuple[float, Floats]] = []
    for number, start in enumerate(STARTS):

        def told(share: float, doing: str, number: int = number) -> None:
            progress((number + share) / len(STARTS), doing)

        entries = _chain(points, weights, size, max(NARROW, start * size), told, cancel)
        _, far = nearest_entries(points, *_with_neighbours(entries, _pull(size, NARROW)), cancel)
        found.append((float(weights @ far), entries))
    return min(found, key=lambda one: one[0])[1]


def _chain(
    points: Floats, weights: Samples, size: int, wide: float, progress: Progress, cancel: CancelToken | None
) -> Floats:
    """A self-organizing map of one dimension (Kohonen 1982), in batches, started along lightness; (size, 3) OKLab.

    Each entry becomes the mean of what it and its neighbours along the chain stand for. The neighbourhood, a Gaussian,
    shrinks by a power of time. A point belongs to the entry that fits it best with its neighbours (Heskes 1999), so
    that each epoch brings down one cost, the squared errors of indices that are off by as much:

        sum_x w_x min_i sum_j h_ij |x - e_j|^2  =  sum_x w_x min_i (|x - m_i|^2 + v_i)

    over colours x of weights w_x and entries e_j, with h_ij = g_ij / sum_j g_ij,
    g_ij = exp(-(i - j)^2 / (2 sigma^2)) + LEAST exp(-(i - j)^2 / (2 FAR^2)) (`_pull`), the means m_i = sum_j h_ij e_j
    and how far entries are from these, v_i = sum_j h_ij |e_j|^2 - |m_i|^2 (`_with_neighbours`). For given owners i(x)
    the least is at e_j = sum_x w_x h_i(x)j x / sum_x w_x h_i(x)j; the epochs take g for h there, as in batch maps.
    """
    entries = _along_lightness(points, weights, size)
    for epoch in range(EPOCHS + HELD):
        progress(epoch / (EPOCHS + HELD), "Fitting the chain")
        spread = wide * (NARROW / wide) ** (min(1, epoch / (EPOCHS - 1)) ** HASTE)
        pull = _pull(size, spread)
        which, far = nearest_entries(points, *_with_neighbours(entries, pull), cancel)
        if epoch > EPOCHS // 2:
            which = _without_idle(entries, which, far, weights)
        sums, counts = gathered(points, weights, which, size)
        mass = pull @ counts
        entries = float32(np.where(mass[:, None] > 0, (pull @ sums) / np.maximum(mass, 1e-12)[:, None], entries))
    return entries


def _pull(size: int, spread: float) -> Samples:
    """How far each of the entries takes each along, (size, size)."""
    apart = np.abs(np.arange(size)[:, None] - np.arange(size)[None])
    return np.asarray(np.exp(-0.5 * (apart / spread) ** 2) + LEAST * np.exp(-0.5 * (apart / FAR) ** 2))


def _with_neighbours(entries: Floats, pull: Samples) -> tuple[Floats, Floats]:
    """The mean of each entry with its neighbours, (n, 3), and how far they are from that, (n,), squared."""
    share = pull / pull.sum(axis=1, keepdims=True)
    means = share @ entries
    apart = share @ np.square(entries).sum(axis=1) - np.square(means).sum(axis=1)
    return float32(means), float32(np.maximum(apart, 0))


def _without_idle(entries: Floats, which: Samples, far: Floats, weights: Samples) -> Samples:
    """Entries that nothing is nearest to are taken out, and put in beside those with the largest errors; in place.

    Gives whose entry each point is now.
    """
    size = len(entries)
    counts = np.bincount(which, minlength=size)
    idle = np.flatnonzero(counts == 0)
    cost = np.bincount(which, weights * far, size)
    split = np.argsort(-cost, kind="stable")[: len(idle)]
    split = split[counts[split] > 1]
    if not len(split):
        return which
    doubled, gone = set(split.tolist()), set(idle[: len(split)].tolist())
    line: list[Floats] = []
    place = np.empty(size, dtype=np.int32)
    for entry in range(size):
        if entry in gone:
            place[entry] = 0
            continue
        if entry in doubled:
            before = entries[max(0, entry - 1)]
            line.append(entries[entry] + np.float32(0.05) * (before - entries[entry]))
        place[entry] = len(line)
        line.append(entries[entry])
    entries[:] = np.stack(line)
    return place[which]


def fit_means(points: Floats, weights: Samples, size: int, progress: Progress, cancel: CancelToken | None) -> Floats:
    """k-means in OKLab (Lloyd 1982), started by k-means++ (Arthur and Vassilvitskii 2007) with a fixed seed."""
    chance = np.random.default_rng(1)
    first = int(chance.choice(len(points), p=weights / weights.sum()))
    chosen = [first]
    far = np.square(points - points[first]).sum(axis=1)
    for _ in range(size - 1):
        share = weights * far
        chosen.append(int(chance.choice(len(points), p=share / share.sum()) if share.sum() > 0 else first))
        far = np.minimum(far, np.square(points - points[chosen[-1]]).sum(axis=1))
    entries = points[chosen].copy()
    for turn in range(ROUNDS):
        progress(turn / ROUNDS, "Fitting means")
        which, _ = nearest_entries(points, entries, cancel=cancel)
        sums, counts = gathered(points, weights, which, size)
        entries = float32(np.where(counts[:, None] > 0, sums / np.maximum(counts, 1e-12)[:, None], entries))
    return entries


def fit_cut(points: Floats, weights: Samples, size: int, progress: Progress, cancel: CancelToken | None) -> Floats:
    """Median cut in OKLab (Heckbert 1982): the box with most extent and weight is cut at its weighted median."""

    def cost(box: Samples) -> float:
        extent = float((points[box].max(axis=0) - points[box].min(axis=0)).max()) if len(box) > 1 else 0.0
        return float(extent * np.sqrt(weights[box].sum()))

    boxes = [np.arange(len(points))]
    costs = [cost(boxes[0])]
    while len(boxes) < size and max(costs) > 0:
        if cancel:
            cancel.check()
        progress(len(boxes) / size, "Cutting")
        number = int(np.argmax(costs))
        box = boxes[number]
        axis = int(np.argmax(points[box].max(axis=0) - points[box].min(axis=0)))
        box = box[np.argsort(points[box, axis], kind="stable")]
        line = np.cumsum(weights[box])
        cut = min(max(1, int(np.searchsorted(line, line[-1] / 2)) + 1), len(box) - 1)
        boxes[number : number + 1] = [box[:cut], box[cut:]]
        costs[number : number + 1] = [cost(box[:cut]), cost(box[cut:])]
    return float32(np.stack([np.average(points[box], axis=0, weights=weights[box]) for box in boxes]))


Fit = Callable[[Floats, Samples, int, Progress, CancelToken | None], Floats]
METHODS: dict[Method, Fit] = {Method.CHAIN: fit_chain, Method.MEANS: fit_means, Method.CUT: fit_cut}


def _along_lightness(points: Floats, weights: Samples, size: int) -> Floats:
    """Means of equally heavy parts from dark to light."""
    dark_first = np.argsort(points[:, 0], kind="stable")
    line = np.cumsum(weights[dark_first])
    part = np.minimum((line / line[-1] * size).astype(int), size - 1)
    sums, counts = gathered(points[dark_first], weights[dark_first], part, size)
    means = sums / np.maximum(counts, 1e-12)[:, None]
    there = np.flatnonzero(counts > 0)
    return float32(np.stack([np.interp(np.arange(size), there, means[there, channel]) for channel in range(3)], -1))


def order_of(entries: Levels, by: Order) -> Samples:
    """The numbers of entries (n, 3) uint8 in an order: from dark to light, round the hues, or along a short path."""
    lab = to_oklab(entries)
    dark_first = np.lexsort((lab[:, 2], lab[:, 1], lab[:, 0]))
    if by == Order.LIGHTNESS or len(entries) < 3:
        return dark_first
    if by == Order.HUE:
        lch = oklab_to_oklch(lab)
        return np.lexsort((lch[:, 0], np.round(lch[:, 2], 3), lch[:, 1] > 0.02))
    path = dark_first.astype(np.int64)
    shorter_path(lab.astype(np.float64), path)
    return path if lab[path[0], 0] <= lab[path[-1], 0] else path[::-1].copy()


def ordered(entries: Levels, by: Order) -> Levels:
    """Entries (n, 3) uint8 in an order."""
    return entries[order_of(entries, by)]
