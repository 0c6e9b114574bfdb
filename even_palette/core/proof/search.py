"""Search: the cheapest conditions that keep errors under a ceiling, and all that none is better than.

Errors of single maps are measured one by one, in the result; together they are at the most about their sum, as each map
moves the colour on its own. So choices are combined by their sums, and what is proposed is measured whole before it is
told. The best combinations are found exactly for these sums: map by map, keeping of all partial choices only those that
no other undercuts in bytes and error (a knapsack by its undominated states, Nemhauser and Ullmann 1969).
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import product

from even_palette.core.proof.conditions import MapConditions

MOST_STATES = 4000
"""Of more undominated states some evenly spread ones are kept."""


@dataclass(frozen=True)
class Option:
    """One way to store a map: its conditions, the bytes of it, and the error that it alone makes in the result."""

    conditions: MapConditions
    bytes: int
    error: float


@dataclass(frozen=True)
class Choice:
    """An option for each map, by slot, with all bytes and the sum of errors."""

    maps: Mapping[str, Option]
    bytes: int
    error: float


def front_of(options: Mapping[str, Sequence[Option]]) -> list[Choice]:
    """All choices that none undercuts in bytes and sum of errors, the cheapest first.

    Exact for up to MOST_STATES undominated partial choices; of more, evenly spread ones go on.
    """
    states: list[tuple[int, float, tuple[Option, ...]]] = [(0, 0.0, ())]
    for some in options.values():
        grown = [(taken + o.bytes, error + o.error, (*chosen, o)) for taken, error, chosen in states for o in some]
        states = thinned(undominated(grown))
    return [Choice(dict(zip(options, chosen, strict=True)), taken, error) for taken, error, chosen in states]


def all_of(options: Mapping[str, Sequence[Option]]) -> list[Choice]:
    """Every choice there is."""
    return [
        Choice(dict(zip(options, some, strict=True)), sum(o.bytes for o in some), sum(o.error for o in some))
        for some in product(*options.values())
    ]


def undominated(
    states: Sequence[tuple[int, float, tuple[Option, ...]]],
) -> list[tuple[int, float, tuple[Option, ...]]]:
    """Those that no other has fewer or as many bytes than with less error, by rising bytes and falling error."""
    found: list[tuple[int, float, tuple[Option, ...]]] = []
    for state in sorted(states, key=lambda each: (each[0], each[1])):
        if not found or state[1] < found[-1][1] - 1e-12:
            found.append(state)
    return found


def thinned(states: list[tuple[int, float, tuple[Option, ...]]]) -> list[tuple[int, float, tuple[Option, ...]]]:
    """At most MOST_STATES of these, both ends among them."""
    if len(states) <= MOST_STATES:
        return states
    step = (len(states) - 1) / (MOST_STATES - 1)
    return [states[round(number * step)] for number in range(MOST_STATES)]
