"""Parameters whose names differ by so little that one may be meant for the other."""

from collections.abc import Iterator
from itertools import combinations

from even_palette.core.checks._finding import Finding, Severity
from even_palette.core.jobs import CancelToken
from even_palette.core.kit.model import Focus
from even_palette.core.results.sheets import Sheets

LONGEST = 400
"""Parameters up to which names are compared in pairs."""


def check(at: Focus, sheets: Sheets, cancel: CancelToken | None) -> Iterator[Finding]:
    """Pairs of names that differ by one letter, or only in underscores; told once, on the first sheet."""
    names = [parameter.name for parameter in at.kit.parameters]
    if at.key != at.kit.sheets[0].key or len(names) > LONGEST:
        return
    for one, other in combinations(names, 2):
        if alike(one, other):
            yield Finding(
                "Recolour", Severity.NOTE,
                f"The parameters {one} and {other} are called almost alike; are both meant?", "", "result",
            )  # fmt: skip


def alike(one: str, other: str) -> bool:
    """Whether names differ by one letter that is added, left out or another; digits tell names apart.

    >>> alike("hull_colour", "hul_colour"), alike("hull_colour", "hullcolour"), alike("part_1", "part_2")
    (True, True, False)
    """
    if one.replace("_", "") == other.replace("_", ""):
        return True
    if abs(len(one) - len(other)) > 1 or min(len(one), len(other)) < 4:
        return False
    start = next((at for at, pair in enumerate(zip(one, other, strict=False)) if pair[0] != pair[1]), None)
    if start is None:
        return not (one + other)[-1].isdigit()
    tails = (one[start + (len(one) >= len(other)) :], other[start + (len(other) >= len(one)) :])
    return tails[0] == tails[1] and not (one[start : start + 1] + other[start : start + 1]).isdigit()
