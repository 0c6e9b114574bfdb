"""Masks that leave texels uncovered, claim them twice, or key nothing."""

from collections.abc import Iterator

from even_palette.core.checks._finding import Finding, Severity
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken
from even_palette.core.kit.model import Focus
from even_palette.core.results.sheets import Sheets


def check(at: Focus, sheets: Sheets, cancel: CancelToken | None) -> Iterator[Finding]:
    """Regions without a texel; texels that several regions claim or that are partly covered. Raises Cancelled."""
    if not at.sheet.regions:
        return
    try:
        if not sheets.has_masks(at):
            return
        weights = sheets.weights(at, cancel=cancel)
    except UserError:
        return
    for region, area in zip(at.sheet.regions, weights.areas, strict=True):
        if not area:
            yield Finding(
                "Regions",
                Severity.ERROR,
                f"{region.name} covers no texel; give it elements or a box, or pick its ID colour again.",
                region.key,
                "id",
            )
    over = weights.coverage.over
    if over > 0:
        yield Finding(
            "Masks", Severity.NOTE, f"{over:.2%} of the texels are claimed by more than one region.", look="heat"
        )
    fringe = 1 - weights.coverage.covered - weights.coverage.empty
    if fringe > 0.0005:
        yield Finding(
            "Masks", Severity.WARNING, f"{fringe:.2%} of the texels are only partly covered (fringes).", look="heat"
        )
