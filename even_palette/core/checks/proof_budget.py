"""Textures of a whole kit that take more than its budget."""

from collections.abc import Iterator

from even_palette.core.checks._finding import Finding, Severity
from even_palette.core.disk.gate import size_text
from even_palette.core.jobs import CancelToken
from even_palette.core.kit.model import Focus
from even_palette.core.results.proof_asset import asset_of
from even_palette.core.results.sheets import Sheets


def check(at: Focus, sheets: Sheets, cancel: CancelToken | None) -> Iterator[Finding]:
    """Told once, of the sheet whose maps take most. Raises Cancelled."""
    kit, budget = at.kit, at.kit.budget_bytes
    if not budget:
        return
    asset = asset_of(kit, sheets, cancel=cancel)
    by_sheet = {sheet.key: sum(each.bytes for each in asset.maps if each.sheet == sheet.key) for sheet in kit.sheets}
    if asset.bytes <= budget or max(by_sheet, key=lambda key: by_sheet[key]) != at.key:
        return
    largest = max((each for each in asset.maps if each.sheet == at.key), key=lambda each: each.bytes)
    yield Finding(
        "Proof", Severity.WARNING,
        f"All textures take {size_text(asset.bytes)}, {asset.share(budget):.0%} of the budget of {size_text(budget)}; "
        f"this sheet has {size_text(by_sheet[at.key])} of it, its largest map, {largest.label}, "
        f"{size_text(largest.bytes)}. The search finds what can be smaller.",
        look="runtime",
    )  # fmt: skip
