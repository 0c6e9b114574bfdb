"""Variants that can be told apart near but not far."""

from collections.abc import Iterator
from itertools import combinations

from even_palette.core.arrays import Samples, float32
from even_palette.core.checks._finding import Finding, Severity
from even_palette.core.checks._proof import meant_of
from even_palette.core.jobs import CancelToken
from even_palette.core.kit.model import Focus
from even_palette.core.material.outputs import COLOUR
from even_palette.core.proof.errors import colour_errors
from even_palette.core.results.far import Seen
from even_palette.core.results.proof import under
from even_palette.core.results.proof_values import values_at
from even_palette.core.results.sheets import Sheets

FAR, SIDE, MOST_VARIANTS = 16, 64, 16
"""Texels a pixel; pixels a side that are compared; every two are, so of more variants the first are."""
SEEN, NOT_SEEN = 5.0, 2.0
"""CIEDE2000: a difference that is seen at a glance, and one that is looked for (common practice)."""
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
    near, far = (
        [values_at(shown, [COLOUR], shown.inputs(at, key), Seen(distance), SIDE, cancel)[COLOUR] for key in variants]
        for distance in (1, FAR)
    )
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
            )  # fmt: skip


def _share(one: Samples, other: Samples, least: float) -> float:
    """The share of pixels whose colours differ by so much or more."""
    seen, _ = colour_errors(float32(one.reshape(-1, 3)), float32(other.reshape(-1, 3)))
    return float((seen >= least).mean())
