"""UVs that overlap, leave the tile or have no area: what is painted or baked there is shared, lost, or nothing."""

from collections.abc import Iterator

from even_palette.core.checks._finding import Finding, Severity
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken
from even_palette.core.kit.model import Focus
from even_palette.core.results.footprints import layout_of
from even_palette.core.results.id_map import mask_size_of
from even_palette.core.results.sheets import Sheets


def check(at: Focus, sheets: Sheets, cancel: CancelToken | None) -> Iterator[Finding]:
    """UVs that overlap, leave the sheet, are no numbers or have no area."""
    try:
        found = layout_of(at, sheets, *mask_size_of(at, sheets))
    except UserError:
        return
    if found is None:
        return
    if found.overlapping_texels:
        yield Finding(
            "Regions",
            Severity.WARNING,
            f"{found.overlapping_texels:,} texels are claimed by several faces; see the look “UV layout”.",
            look="uv_layout",
        )
    if found.outside_faces:
        yield Finding(
            "Regions", Severity.WARNING, f"{found.outside_faces:,} faces have UVs outside the tile.", look="uv_layout"
        )
    if found.broken_faces:
        yield Finding(
            "Regions",
            Severity.ERROR,
            f"{found.broken_faces:,} faces have UVs that are no numbers; they lie nowhere. Mend the mesh.",
        )
    if found.empty_faces:
        yield Finding(
            "Regions", Severity.NOTE, f"{found.empty_faces:,} faces have no area on the sheet.", look="uv_layout"
        )
