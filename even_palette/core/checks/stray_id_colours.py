"""Texels of the ID map that belong to no ID colour."""

from collections.abc import Iterator, Sequence

from even_palette.core.checks._finding import Finding, Severity
from even_palette.core.colour.hexcode import Rgb8
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken
from even_palette.core.kit.model import Focus
from even_palette.core.results.id_map import LIKE, LIKE_LOSSY, id_colours_of, id_levels_of
from even_palette.core.results.sheets import Sheets

SMALL = 0.001
"""Areas below this share of the sheet are thought stray; larger ones may well be left to the base."""


def _near(colour: Rgb8, others: Sequence[Rgb8], within: int) -> bool:
    return any(max(abs(a - b) for a, b in zip(colour, other, strict=True)) <= within for other in others)


def check(at: Focus, sheets: Sheets, cancel: CancelToken | None) -> Iterator[Finding]:
    """Texels of the ID map that are near to no region's colour. Raises Cancelled."""
    try:
        plane, colours = id_levels_of(at, sheets), id_colours_of(at, sheets)
    except UserError:
        return
    if plane is None:
        return
    if at.sheet.unmix is not None:
        taken = [colour for region in at.sheet.regions for colour in region.id_colours] + [*at.sheet.unmix.dissolved]
        like = LIKE_LOSSY if at.sheet.unmix.lossy else LIKE
        odd = [c for c in colours.colours if c.texels < SMALL * colours.texels and not _near(c.levels, taken, like)]
        if odd and at.sheet.regions:
            yield Finding(
                "Regions",
                Severity.WARNING,
                f"{len(odd)} stray {'colours' if len(odd) > 1 else 'colour'} of the ID map, on "
                f"{sum(colour.texels for colour in odd)} texels, belong to no region; give or dissolve them.",
                look="id_colours",
            )
    elif colours.stray:
        yield Finding(
            "Masks",
            Severity.NOTE,
            f"{colours.stray} texels ({colours.stray_share:.2%}) of the ID map are stray colours.",
            look="id_colours",
        )
