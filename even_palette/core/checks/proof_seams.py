"""Seams of the model that open under the conditions of a runtime: colours part across UV edges."""

from collections.abc import Iterator

import numpy as np

from even_palette.core.arrays import Floats, Samples
from even_palette.core.checks._finding import Finding, Severity, place_around
from even_palette.core.checks._proof import as_meant, colours_on, meant_of
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken
from even_palette.core.kit.model import Focus
from even_palette.core.material.outputs import COLOUR
from even_palette.core.mesh.seams import along, seams
from even_palette.core.proof.errors import colour_errors
from even_palette.core.results.proof import Shipped, under
from even_palette.core.results.proof_errors import DISTANCES
from even_palette.core.results.sheet_mesh import twin_parts
from even_palette.core.results.sheets import Sheets

POINTS, MOST_VARIANTS = 1024, 16
SEEN = 2.0
"""CIEDE2000 that is seen where one looks for it (common practice)."""
SHARE = 0.05
"""Of the length of all seams: what opens on less is not told."""


def check(at: Focus, sheets: Sheets, cancel: CancelToken | None) -> Iterator[Finding]:
    """The colours on both sides of each seam, level by level, beside those that are meant close by.

    Raises Cancelled.
    """
    if (meant := meant_of(at, sheets)) is None or COLOUR not in meant.outputs:
        return
    try:
        part = twin_parts(at, sheets).get(at.twin)
    except UserError:
        return
    if part is None:
        return
    uv = along(seams(part, part.uv_sets[0]).both, POINTS).transpose(1, 0, 2)
    if not uv.size:
        return
    shown = under(at.sheet.conditions, meant, sheets, cancel)
    variants = list(at.kit.variant_names)[:MOST_VARIANTS]
    close = {variant: _across(at, meant, variant, uv, 1, cancel) for variant in variants}

    def opened(found: Shipped, variant: str, distance: int) -> Samples:
        """How far colours part at each point, 0 where they do so close by, too."""
        off = _across(at, found, variant, uv, distance, cancel)
        return np.where((off >= SEEN) & (off - close[variant] >= SEEN), off, 0.0)

    for level, distance in enumerate(DISTANCES):
        found = {variant: opened(shown, variant, distance) for variant in variants}
        worst = max(variants, key=lambda variant: float((found[variant] > 0).mean()))
        off, share = found[worst], float((found[worst] > 0).mean())
        if share < SHARE:
            continue
        place = int(off.argmax())

        def error(each: Shipped, worst: str = worst, distance: int = distance) -> float:
            return float((opened(each, worst, distance) > 0).mean())

        mend = as_meant(at, meant, error, SHARE, sheets, cancel)
        yield Finding(
            "Proof", Severity.WARNING,
            f"Seams of the model open at level {level} in {at.kit.variant_names[worst]}: on {share:.0%} of their "
            f"length the colours of both sides part, by up to {off[place]:.1f} ΔE. "
            + ("" if mend else "Wider padding or islands of one scale help."),
            look="runtime", place=place_around(uv[:, place], distance, meant.finest), mend=mend, variant=worst,
            distance=distance,
        )  # fmt: skip
        return


def _across(at: Focus, found: Shipped, variant: str, uv: Floats, distance: int, cancel: CancelToken | None) -> Samples:
    """CIEDE2000 between both sides of seams at points uv (2, n, 2): (n,)."""
    one, other = colours_on(at, found, variant, uv, distance, cancel)
    return colour_errors(one, other)[0]
