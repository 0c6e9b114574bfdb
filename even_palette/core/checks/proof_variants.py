"""Variants that can be told apart near but not far."""

from collections.abc import Callable, Iterator, Sequence
from functools import partial
from itertools import combinations

import numpy as np
from msgspec.structs import replace

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.checks._finding import Finding, Mend, Severity
from even_palette.core.checks._proof import as_meant, meant_of
from even_palette.core.jobs import CancelToken
from even_palette.core.kit import commands
from even_palette.core.kit.model import Focus
from even_palette.core.material.outputs import COLOUR
from even_palette.core.proof.conditions import conditions_of
from even_palette.core.proof.errors import colour_errors
from even_palette.core.results.far import Seen
from even_palette.core.results.proof import Shipped, map_label, under
from even_palette.core.results.proof_values import values_at
from even_palette.core.results.sheets import Sheets

FAR, SIDE, MOST_VARIANTS = 16, 64, 16
"""Texels a pixel; pixels a side that are compared; every two are, so of more variants the first are."""
SEEN, NOT_SEEN = 5.0, 2.0
"""CIEDE2000: a difference that is seen at a glance, and one that is looked for (common practice)."""
SHARPER = (-1.0, -2.0)
"""Biases that are tried where what sets variants apart is too fine."""
SHARE = 0.02
"""Of the pixels: a difference on less is none that a variant is known by, near or far."""


def check(at: Focus, sheets: Sheets, cancel: CancelToken | None) -> Iterator[Finding]:
    """Of every two variants how many pixels differ, near and from afar, under the conditions of a sheet.

    Raises Cancelled.
    """
    variants = [variant.key for variant in at.kit.variants][:MOST_VARIANTS]
    if len(variants) < 2 or (meant := meant_of(at, sheets)) is None:
        return
    if COLOUR not in meant.outputs or min(meant.finest) < FAR:
        return
    shown = under(at.sheet.conditions, meant, sheets, cancel)

    def colours(found: Shipped, keys: Sequence[str], distance: int) -> list[Floats]:
        return [values_at(found, [COLOUR], found.inputs(at, key), Seen(distance), SIDE, cancel)[COLOUR] for key in keys]

    def alike(one: str, other: str, found: Shipped) -> float:
        first, second = colours(found, (one, other), FAR)
        return 1 - _share(first, second, NOT_SEEN)

    near, far = (colours(shown, variants, distance) for distance in (1, FAR))
    for one, other in combinations(range(len(variants)), 2):
        if cancel:
            cancel.check()
        seen = _share(near[one], near[other], SEEN)
        if seen >= SHARE > _share(far[one], far[other], NOT_SEEN):
            both = " and ".join(at.kit.variant_names[variants[each]] for each in (one, other))
            yield Finding(
                "Proof", Severity.WARNING,
                f"{both} differ on {seen:.0%} of the sheet near by, but where a pixel covers {FAR} texels they "
                f"look the same: what sets them apart is too fine.",
                look="runtime", variant=variants[other],
                mend=_mend(at, meant, partial(alike, variants[one], variants[other]), sheets, cancel),
            )  # fmt: skip


def _mend(
    at: Focus, meant: Shipped, alike: Callable[[Shipped], float], sheets: Sheets, cancel: CancelToken | None
) -> Mend | None:
    """What sets two variants apart from afar, so that they are alike on less of the pixels: one map as it is meant, or
    read from larger levels; None where neither helps. Raises Cancelled.
    """
    most = float(np.nextafter(1 - SHARE, 1))
    if found := as_meant(at, meant, alike, most, sheets, cancel):
        return found
    conditions = at.sheet.conditions
    for bias in SHARPER:
        for name in meant.names:
            own = replace(conditions_of(conditions, name, meant.facts[name]), bias=bias)
            mended = replace(conditions, maps={**conditions.maps, name: own})
            if meant.facts[name].has_mips and alike(under(mended, meant, sheets, cancel)) < most:
                label = f"Read {map_label(at, meant, name)} {-bias:g} levels larger, which shimmers more"
                return Mend(label, commands.set_conditions(at.key, mended))
    return None


def _share(one: Samples, other: Samples, least: float) -> float:
    """The share of pixels whose colours differ by so much or more."""
    seen, _ = colour_errors(float32(one.reshape(-1, 3)), float32(other.reshape(-1, 3)))
    return float((seen >= least).mean())
