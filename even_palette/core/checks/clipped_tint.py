"""Coats that promise a colour which clipping keeps them from giving, such as a true tint that is too light."""

from collections.abc import Iterator

from even_palette.core.checks._finding import Finding, Severity
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken
from even_palette.core.kit.commands import read_cell
from even_palette.core.kit.model import Focus
from even_palette.core.material.coats import COATS
from even_palette.core.material.variants import resolve_all
from even_palette.core.results.clipping import clipped_share
from even_palette.core.results.sheets import Sheets

LEAST_SHARE = 0.0005


def check(at: Focus, sheets: Sheets, cancel: CancelToken | None) -> Iterator[Finding]:
    """Regions whose tint exceeds 1 in a channel in some variant, before it is clipped. Raises Cancelled."""
    every = resolve_all(at.kit.parameters, at.kit.variants)
    try:
        for region in at.sheet.regions:
            for variant, settings in every.items():
                cell = read_cell(at.kit, region.key, variant, settings)
                told = [COATS[c.kind].promise(choices) for c, choices in zip(cell.coats, cell.choices, strict=True)]
                promise = next(filter(None, told), "")
                if not promise:
                    break
                share = clipped_share(at, sheets, region.key, variant, settings, cancel)
                if share > LEAST_SHARE:
                    text = f"{share:.1%} of {region.name} clips in {at.kit.variant_names[variant]} ({promise})."
                    yield Finding("Recolour", Severity.WARNING, text, region.key, "result")
    except UserError:
        return
