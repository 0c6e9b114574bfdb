"""Findings about a kit: every module of this package that declares a `check`. Adding a check is adding a file."""

from collections.abc import Callable, Iterator
from dataclasses import replace
from functools import cache

from even_palette.core.checks._finding import Finding, Mend, Severity, look_at, look_of
from even_palette.core.declared import declared
from even_palette.core.jobs import CancelToken
from even_palette.core.kit.model import Focus, Kit
from even_palette.core.results.sheets import Sheets

Check = Callable[[Focus, Sheets, CancelToken | None], Iterator[Finding]]


@cache
def _checks() -> list[Check]:
    """Imported by the first who checks."""
    return declared(__name__, __path__, "check")


def find(kit: Kit, sheets: Sheets, cancel: CancelToken | None = None) -> Iterator[Finding]:
    """All findings of a kit, sheet by sheet, errors first. Results come from `sheets`, so repeated calls are cheap.

    Raises Cancelled.
    """
    several = len(kit.sheets) > 1
    findings = []
    for sheet in kit.sheets:
        if not (sheet.sources or sheet.regions or not several):
            continue
        at = kit.at(sheet.key)
        for check in _checks():
            for finding in check(at, sheets, cancel):
                if cancel:
                    cancel.check()
                about = finding.sheet or sheet.key
                text = f"{kit.sheet(about).name}: {finding.text}" if several else finding.text
                findings.append(replace(finding, text=text, sheet=about))
            if cancel:
                cancel.check()
    yield from sorted(findings, key=lambda finding: finding.severity != Severity.ERROR)


__all__ = ["Finding", "Mend", "Severity", "find", "look_at", "look_of"]
