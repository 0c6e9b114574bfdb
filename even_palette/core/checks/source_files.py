"""Maps that are missing, unreadable or of different shapes."""

from collections.abc import Iterator
from pathlib import Path

from even_palette.core.checks._finding import Finding, Severity
from even_palette.core.disk.gate import exists
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken
from even_palette.core.kit.model import Focus
from even_palette.core.raster.guess import Role
from even_palette.core.results.maps import plane_of_map
from even_palette.core.results.sheets import Sheets


def check(at: Focus, sheets: Sheets, cancel: CancelToken | None) -> Iterator[Finding]:
    """Maps that are missing or cannot be read, what was noted of them, and shapes that do not go together."""
    shapes = {}
    for source in at.sheet.sources:
        name = source.label
        if source.plain is None and not exists(Path(source.path)):
            yield Finding("Source", Severity.ERROR, f"{name} ({source.role}) is missing; point to it in Source.")
            continue
        try:
            plane = plane_of_map(source, sheets)
            shapes[source.role] = (plane.width, plane.height)
            for note in plane.notes:
                yield Finding("Source", Severity.NOTE, note)
        except UserError as error:
            yield Finding("Source", Severity.ERROR, str(error))
    if at.sheet.source(Role.BASE_COLOUR) is None:
        yield Finding("Source", Severity.ERROR, "There is no base colour map; open one in Source.")
    base, ids = shapes.get(Role.BASE_COLOUR), shapes.get(Role.ID)
    if base and ids and base[0] * ids[1] != base[1] * ids[0]:
        yield Finding(
            "Source",
            Severity.WARNING,
            f"Base colour is {base[0]} x {base[1]}, the ID map {ids[0]} x {ids[1]}: their proportions differ.",
        )
