"""Giving elements to several regions at random by asked shares."""

from dataclasses import dataclass
from itertools import pairwise

import numba as nb
import numpy as np

from even_palette.core.arrays import Samples
from even_palette.core.chance_kernel import pcg_compiled

TRIES = 6
STEPS_AN_ELEMENT = 400
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
    found = np.array(parts, dtype=np.int64)
    first = np.cumsum([0, *(len(others) for others in apart)])
    others = np.array([other for each in apart for other in each], dtype=np.int64)
    if len(others):
        seed = np.uint32(rng.integers(1 << 32))
        _swap(found, weights.astype(np.float64), goals.astype(np.float64), first, others, seed, by_area)
    clashes = sum(int((found[others[a:b]] == found[e]).sum()) for e, (a, b) in enumerate(pairwise(first.tolist())))
    return Scattered(found, clashes // 2)


@nb.njit(nogil=True, cache=True)
def _clashes(element, part, but, parts, first, others):  # type: ignore[no-untyped-def]
    count = 0
    for at in range(first[element], first[element + 1]):
        if parts[others[at]] == part and others[at] != but:
            count += 1
    return count


@nb.njit(nogil=True, cache=True)
def _swap(parts, weights, goals, first, others, seed, by_area):  # type: ignore[no-untyped-def]
    """Each step takes an element that touches one of its own part, and swaps it with the best of some drawn ones."""
    count, state = len(parts), np.uint32(seed)
    totals = np.zeros(len(goals))
    for element in range(count):
        totals[parts[element]] += weights[element]
    largest = weights.max()
    for _ in range(STEPS_AN_ELEMENT * count):
        state = pcg_compiled(state)
        element, tried = state % count, 0
        while _clashes(element, parts[element], -1, parts, first, others) == 0 and tried < count:
            element, tried = (element + 1) % count, tried + 1
        if tried == count:
            return
        best, chosen = 1, -1
        for _ in range(CANDIDATES):
            state = pcg_compiled(state)
            other = state % count
            mine, its = parts[element], parts[other]
            if mine == its:
                continue
            if by_area:
                moved = weights[element] - weights[other]
                if max(abs(totals[mine] - moved - goals[mine]), abs(totals[its] + moved - goals[its])) > largest:
                    continue
            before = _clashes(element, mine, -1, parts, first, others) + _clashes(other, its, -1, parts, first, others)
            after = _clashes(element, its, other, parts, first, others)
            after += _clashes(other, mine, element, parts, first, others)
            if after - before < best:
                best, chosen = after - before, other
        state = pcg_compiled(state)
        if chosen < 0 or (best == 0 and state & 1):
            continue
        mine, its = parts[element], parts[chosen]
        totals[mine] += weights[chosen] - weights[element]
        totals[its] += weights[element] - weights[chosen]
        parts[element], parts[chosen] = its, mine
