"""Paint whose files are missing or damaged."""

from collections.abc import Iterator

from even_palette.core.checks._finding import Finding, Severity
from even_palette.core.jobs import CancelToken
from even_palette.core.kit.model import Focus
from even_palette.core.results.sheets import Sheets


def check(at: Focus, sheets: Sheets, cancel: CancelToken | None) -> Iterator[Finding]:
    """One finding for each region some of whose paint could not be read."""
    for region in at.sheet.regions:
        paints = [step.paint for step in region.steps if step.paint is not None]
        lost = sum(not tile.is_there for paint in paints for tile in paint.tiles.values())
        if lost:
            yield Finding(
                "Masks",
                Severity.ERROR,
                f"{region.name}: {lost} tiles of paint are missing from the kit's blobs or damaged; put the files back "
                "and open the kit again, or paint there anew.",
                region.key,
                "weight",
            )
