"""Textures of a whole kit that take more than its budget."""

from collections import Counter
from collections.abc import Iterator

from even_palette.core.checks._finding import Finding, Severity
from even_palette.core.disk.gate import size_text
from even_palette.core.jobs import CancelToken
from even_palette.core.kit.model import Focus
from even_palette.core.results.proof_asset import asset_of
from even_palette.core.results.sheets import Sheets


def check(at: Focus, sheets: Sheets, cancel: CancelToken | None) -> Iterator[Finding]:
    """Counted with the first sheet that has maps or regions, told of the one whose maps take most. Raises Cancelled."""
    kit, budget = at.kit, at.kit.budget_bytes
    if not budget or at.key != next((sheet.key for sheet in kit.sheets if sheet.sources or sheet.regions), ""):
        return
    asset = asset_of(kit, sheets, cancel=cancel)
    if asset.bytes <= budget:
        return
    by_sheet = Counter[str]()
    for each in asset.maps:
        by_sheet[each.sheet] += each.bytes
    (sheet, taken), *_ = by_sheet.most_common(1)
    largest = max((each for each in asset.maps if each.sheet == sheet), key=lambda each: each.bytes)
    yield Finding(
        "Proof", Severity.WARNING,
        f"All textures take {size_text(asset.bytes)}, {asset.share(budget):.0%} of the budget of {size_text(budget)}; "
        f"this sheet has {size_text(taken)} of it, its largest map, {largest.label}, {size_text(largest.bytes)}. The "
        f"search finds what can be smaller.",
        look="runtime", sheet=sheet,
    )  # fmt: skip
