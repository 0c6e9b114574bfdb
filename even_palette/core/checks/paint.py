"""Paint whose files are missing or damaged."""

from collections.abc import Iterator

from even_palette.core.checks._finding import Finding, Severity
from even_palette.core.jobs import CancelToken
from even_palette.core.kit.model import Focus
from even_palette.core.regions.paint import Paint
from even_palette.core.results.sheets import Sheets

TOLD = (
    "tiles of paint are missing from the kit's blobs or damaged; put the files back and open the kit again, or paint "
    "there anew."
)


def check(at: Focus, sheets: Sheets, cancel: CancelToken | None) -> Iterator[Finding]:
    """One finding for each region, and each painted tone, some of whose paint could not be read."""
    for tone in at.sheet.tones:
        if tone.paint is not None and (lost := _lost(tone.paint)):
            yield Finding("Tones", Severity.ERROR, f"{tone.name}: {lost} {TOLD}")
    for region in at.sheet.regions:
        paints = [step.paint for step in region.steps if step.paint is not None]
        lost = sum(map(_lost, paints))
        if lost:
            yield Finding(
                "Masks",
                Severity.ERROR,
                f"{region.name}: {lost} {TOLD}",
                region.key,
                "weight",
            )


def _lost(paint: Paint) -> int:
    return sum(not tile.is_there for tile in paint.tiles.values())
