"""Giving elements to several regions at random by asked shares."""

from dataclasses import dataclass

import numpy as np

from even_palette.core.arrays import Samples

TRIES = 6
MOST_STEPS = 40_000
CANDIDATES = 48


@dataclass(frozen=True, eq=False)
class Scattered:
    """The part (n,) that each element was given to, and how many touching pairs are of one part."""

    parts: Samples
    conflicts: int


def scatter(sizes: Samples, shares: list[float], seed: int, by_area: bool, pairs: Samples | None = None) -> Scattered:
    """Divide elements of these sizes (n,) among parts by shares, at random; the same seed gives the same parts.

    By count each part gets its share within one element; by area, within the largest element's area. With `pairs`
    (m, 2) of touching elements, touching ones are kept apart where a division is found that allows it.
    """
    if not len(sizes) or not shares or sum(shares) <= 0:
        return Scattered(np.zeros(len(sizes), dtype=np.int64), 0)
    weights = sizes.astype(np.float64) if by_area else np.ones(len(sizes))
    wanted = np.array(shares, dtype=np.float64) / sum(shares) * weights.sum()
    apart = _neighbours(len(sizes), pairs)
    best: Scattered | None = None
    for attempt in range(TRIES if pairs is not None and len(pairs) else 1):
        rng = np.random.default_rng([seed, attempt])
        goals = wanted if by_area else _whole_goals(wanted, rng)
        found = _repaired(_dealt(weights, goals, apart, rng), weights, goals, apart, rng, by_area)
        if best is None or found.conflicts < best.conflicts:
            best = found
        if best.conflicts == 0:
            break
    assert best is not None
    return best


def _neighbours(count: int, pairs: Samples | None) -> list[list[int]]:
    apart: list[list[int]] = [[] for _ in range(count)]
    for one, other in [] if pairs is None else pairs.tolist():
        apart[one].append(other)
        apart[other].append(one)
    return apart


def _whole_goals(wanted: Samples, rng: np.random.Generator) -> Samples:
    """Counts that add up, by largest remainder; ties are drawn."""
    goals = np.floor(wanted + 1e-9)
    left = round(wanted.sum() - goals.sum())
    order = np.lexsort((rng.random(len(goals)), -(wanted - goals)))
    goals[order[:left]] += 1
    return np.asarray(goals)


def _dealt(weights: Samples, goals: Samples, apart: list[list[int]], rng: np.random.Generator) -> list[int]:
    """Each element, in random order, to the part that lacks most among those that no neighbour has.

    Giving to the part that lacks most keeps every part within one largest element of its goal; with neighbours to
    mind, only parts that lack at least as much as they would get too much are open.
    """
    left = goals.copy()
    parts = [-1] * len(weights)
    largest = float(weights.max(initial=0))
    for element in rng.permutation(len(weights)).tolist():
        lacking = np.argsort(-left, kind="stable").tolist()
        taken = {parts[other] for other in apart[element]}
        free = [part for part in lacking if part not in taken and left[part] > max(0.0, left[lacking[0]] - largest)]
        chosen = free[0] if free else lacking[0]
        parts[element] = chosen
        left[chosen] -= weights[element]
    return parts


def _repaired(
    parts: list[int], weights: Samples, goals: Samples, apart: list[list[int]], rng: np.random.Generator, by_area: bool
) -> Scattered:
    """Swap elements between parts while that leaves fewer touching pairs in one part (min-conflicts search)."""

    def clashes(element: int, part: int, but: int = -1) -> int:
        return sum(parts[other] == part for other in apart[element] if other != but)

    totals = np.bincount(parts, weights=weights, minlength=len(goals))
    largest = float(weights.max(initial=0))
    bad = [e for e in range(len(parts)) if clashes(e, parts[e])]
    for _ in range(MOST_STEPS):
        if not bad:
            break
        at = int(rng.integers(len(bad)))
        element = bad[at]
        if not clashes(element, parts[element]):
            bad[at] = bad[-1]
            bad.pop()
            continue
        others = rng.integers(len(parts), size=min(CANDIDATES, 4 * len(parts))).tolist()
        best, chosen = 1, -1
        for other in others:
            mine, its = parts[element], parts[other]
            if mine == its:
                continue
            if by_area:
                moved = weights[element] - weights[other]
                if max(abs(totals[mine] - moved - goals[mine]), abs(totals[its] + moved - goals[its])) > largest:
                    continue
            before = clashes(element, mine) + clashes(other, its)
            after = clashes(element, its, other) + clashes(other, mine, element)
            if after - before < best:
                best, chosen = after - before, other
        if chosen < 0 or (best == 0 and rng.random() < 0.5):
            continue
        mine, its = parts[element], parts[chosen]
        totals[mine] += weights[chosen] - weights[element]
        totals[its] += weights[element] - weights[chosen]
        parts[element], parts[chosen] = its, mine
        for changed in (element, chosen):
            bad.append(changed)
            bad += [other for other in apart[changed] if parts[other] == parts[changed]]
    conflicts = sum(clashes(e, parts[e]) for e in range(len(parts))) // 2
    return Scattered(np.array(parts, dtype=np.int64), conflicts)
