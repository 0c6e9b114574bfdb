"""Masks that leave texels uncovered, claim them twice, or key nothing."""

from collections.abc import Iterator

from even_palette.core.checks._finding import Finding, Mend, Severity, place_where
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken
from even_palette.core.kit import commands
from even_palette.core.kit.model import Focus
from even_palette.core.kit.sheet import Unmix
from even_palette.core.results.id_map import LIKE, LIKE_LOSSY, has_masks, id_colours_of, id_levels_of
from even_palette.core.results.sheets import Sheets
from even_palette.core.results.weights import weights_of

LEAST_FRINGE = 0.0005
ONE, STEP = 65535 / 4, 65535 / 4 / 255
"""A sum of 1 and of 1/255 as the plane of sums holds them."""


def check(at: Focus, sheets: Sheets, cancel: CancelToken | None) -> Iterator[Finding]:
    """Regions without a texel; texels that several regions claim or that are partly covered. Raises Cancelled."""
    if not at.sheet.regions:
        return
    try:
        if not has_masks(at, sheets):
            return
        weights = weights_of(at, sheets, cancel=cancel)
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
    total = weights.mask_sum
    over = weights.coverage.over
    if over > 0:
        yield Finding(
            "Masks",
            Severity.NOTE,
            f"{over:.2%} of the texels are claimed by more than one region.",
            look="mask_sum",
            place=place_where(total, lambda levels: levels > ONE + STEP, cancel),
        )
    fringe = 1 - weights.coverage.covered - weights.coverage.empty
    if fringe > LEAST_FRINGE:
        yield Finding(
            "Masks",
            Severity.WARNING,
            f"{fringe:.2%} of the texels are only partly covered (fringes).",
            look="mask_sum",
            place=place_where(total, lambda levels: (levels > STEP) & (levels < ONE - STEP), cancel),
            mend=_mend(at, sheets),
        )


def _mend(at: Focus, sheets: Sheets) -> Mend | None:
    """Unmix a map that is keyed by tolerances; give colours that no region has to those around them."""
    if id_levels_of(at, sheets) is None:
        return None
    if at.sheet.unmix is None:
        return Mend("Unmix the ID map", commands.set_unmix(at.key, Unmix()))
    taken = [colour for region in at.sheet.regions for colour in region.id_colours]
    like = LIKE_LOSSY if at.sheet.unmix.lossy else LIKE
    free = [
        colour.levels for colour in id_colours_of(at, sheets).colours
        if colour.levels not in at.sheet.unmix.dissolved
        and all(max(abs(a - b) for a, b in zip(colour.levels, other, strict=True)) > like for other in taken)
    ]  # fmt: skip
    if not free:
        return None
    return Mend("Give what no region has to the regions around it", commands.dissolve_colours(at.key, free))
