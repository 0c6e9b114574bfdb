"""Edges of masks that fringe: where regions meet, what blocks make of the weights is neither of them nor between."""

from collections.abc import Iterator
from itertools import combinations

import numpy as np
from msgspec.structs import replace

from even_palette.core.arrays import Bools, Floats, float32
from even_palette.core.checks._finding import Finding, Mend, Severity, place_of
from even_palette.core.checks._proof import colours_on, meant_of
from even_palette.core.jobs import CancelToken
from even_palette.core.kit import commands
from even_palette.core.kit.model import Focus
from even_palette.core.material.outputs import COLOUR
from even_palette.core.proof.conditions import AS_MEANT, Use, conditions_of
from even_palette.core.proof.degrade import is_untouched
from even_palette.core.proof.errors import colour_errors
from even_palette.core.results.proof import Shipped, under
from even_palette.core.results.sheets import Sheets
from even_palette.core.results.weights import weights_of

POINTS, MOST_TOLD, MOST_VARIANTS = 512, 3, 16
SHARED, LEAST_TEXELS = 32, 16
"""A border has so many texels at the least where both regions have so many levels of weight."""
SEEN, TIMES = 5.0, 2.0
"""CIEDE2000 that is seen at a glance (common practice); and so many times what it is within the regions."""


def check(at: Focus, sheets: Sheets, cancel: CancelToken | None) -> Iterator[Finding]:
    """The colour with the weights that a runtime has, all else as it is meant, on edges and within.

    Raises Cancelled.
    """
    if (meant := meant_of(at, sheets)) is None or COLOUR not in meant.outputs:
        return
    names = [name for name, facts in meant.facts.items() if facts.use == Use.WEIGHTS]
    if all(is_untouched(conditions_of(at.sheet.conditions, name, meant.facts[name])) for name in names):
        return
    shown = under(at.sheet.conditions, meant, sheets, cancel, names)
    levels, regions = weights_of(at, sheets, cancel=cancel).levels, at.sheet.regions
    variants = list(at.kit.variant_names)[:MOST_VARIANTS]

    def off(found: Shipped, variant: str, uv: Floats) -> float:
        """CIEDE2000 that nine of ten points stay below."""
        one, other = (colours_on(at, each, variant, uv, 1, cancel)[0] for each in (meant, found))
        return float(np.percentile(colour_errors(one, other)[0], 90))

    worst = list[tuple[float, float, str, Bools, str]]()
    within = [_points(level >= 255) for level in levels]
    for (one, first), (two, second) in combinations(enumerate(regions), 2):
        border = (levels[one] >= SHARED) & (levels[two] >= SHARED)
        if border.sum() < LEAST_TEXELS:
            continue
        uv = _points(border)
        edge, variant = max((off(shown, variant, uv), variant) for variant in variants)
        inside = max((off(shown, variant, within[each]) for each in (one, two) if within[each].size), default=0.0)
        if edge >= max(SEEN, TIMES * inside):
            worst.append((edge, inside, f"{first.name} and {second.name}", border, variant))
    conditions = at.sheet.conditions
    mended = replace(conditions, maps={**conditions.maps, **dict.fromkeys(names, AS_MEANT)})
    for edge, inside, both, border, variant in sorted(worst, key=lambda each: -each[0])[:MOST_TOLD]:
        yield Finding(
            "Proof", Severity.WARNING,
            f"{both} fringe in {at.kit.variant_names[variant]}: where they meet, the weights that the runtime has "
            f"put one texel of ten off by {edge:.1f} ΔE or more, within them by {inside:.1f}.",
            look="runtime", place=place_of(border, cancel), variant=variant,
            mend=Mend("Store weights as they are meant", commands.set_conditions(at.key, mended)),
        )  # fmt: skip


def _points(chosen: Bools) -> Floats:
    """The centres of chosen texels (H, W) as uv, (1, n, 2), evenly spread ones if there are many."""
    texels = np.argwhere(chosen)[:, ::-1]
    some = texels[:: max(1, -(-len(texels) // POINTS))]
    return float32((some + 0.5) / chosen.shape[::-1])[None]
