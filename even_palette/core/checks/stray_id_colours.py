"""Texels of the ID map that belong to no ID colour."""

from collections.abc import Iterator

from even_palette.core.checks._finding import Finding, Severity
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken
from even_palette.core.kit.model import Focus
from even_palette.core.results.sheets import Sheets


def check(at: Focus, sheets: Sheets, cancel: CancelToken | None) -> Iterator[Finding]:
    """Texels of the ID map that are near to no region's colour. Raises Cancelled."""
    try:
        plane, colours = sheets.id_levels(at), sheets.id_colours(at)
    except UserError:
        return
    if plane is not None and colours.stray:
        yield Finding(
            "Masks",
            Severity.NOTE,
            f"{colours.stray} texels ({colours.stray_share:.2%}) of the ID map are stray colours.",
            look="id",
        )
