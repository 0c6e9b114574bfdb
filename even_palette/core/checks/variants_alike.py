"""Variants that lie closer together than the kit asks for, also for eyes with a deficiency."""

from collections.abc import Iterator

from even_palette.core.checks._finding import Finding, Severity
from even_palette.core.colour.deficiency import VISIONS
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken
from even_palette.core.kit.model import Focus
from even_palette.core.results.colour_spread import MOST_COMPARED, mean_colours, told_apart, variants_shown
from even_palette.core.results.sheets import Sheets

MOST_TOLD = 5


def check(at: Focus, sheets: Sheets, cancel: CancelToken | None) -> Iterator[Finding]:
    """The pairs that are hardest to tell apart by any region's mean colour.

    Raises Cancelled.
    """
    asked = at.kit.apart
    shown = variants_shown(at)[1:]
    regions = [region.key for region in at.sheet.regions]
    if asked.least <= 0 or len(shown) < 2 or not regions:
        return
    try:
        pairs = told_apart(mean_colours(at, sheets, shown, regions, cancel), asked.severity)
    except UserError:
        return
    if len(at.kit.variants) > MOST_COMPARED:
        told = f"Of {len(at.kit.variants):,} variants the first {MOST_COMPARED} are compared with each other."
        yield Finding("Lineup", Severity.NOTE, told)
    for pair in [pair for pair in pairs if pair.least < asked.least][:MOST_TOLD]:
        vision = list(VISIONS.values())[pair.differences.index(pair.least)].lower()
        both = f"{shown[pair.one].name} and {shown[pair.other].name}"
        text = f"{both} lie {pair.least:.1f} ΔE apart ({vision}); {asked.least:g} is asked for."
        yield Finding("Lineup", Severity.WARNING, text, "", "result", variant=shown[pair.other].variant)
