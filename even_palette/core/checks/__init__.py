"""Findings about a kit: every module of this package that declares a `check`. Adding a check is adding a file."""

import importlib
import pkgutil
from collections.abc import Iterator
from dataclasses import replace
from functools import cache
from types import ModuleType

from even_palette.core.checks._finding import Finding, Mend, Severity, look_at, look_of
from even_palette.core.jobs import CancelToken
from even_palette.core.kit.model import Kit
from even_palette.core.results.sheets import Sheets


@cache
def _modules() -> list[ModuleType]:
    """Imported by the first who checks."""
    return [
        importlib.import_module(f"{__name__}.{module.name}")
        for module in sorted(pkgutil.iter_modules(__path__), key=lambda found: found.name)
        if not module.name.startswith("_")
    ]


def find(kit: Kit, sheets: Sheets, cancel: CancelToken | None = None) -> Iterator[Finding]:
    """All findings of a kit, sheet by sheet, errors first. Results come from `sheets`, so repeated calls are cheap.

    Raises Cancelled.
    """
    several = len(kit.sheets) > 1
    findings = []
    for sheet in kit.sheets:
        if not (sheet.sources or sheet.regions or not several):
            continue
        for module in _modules():
            for finding in module.check(kit.at(sheet.key), sheets, cancel):
                if cancel:
                    cancel.check()
                text = f"{sheet.name}: {finding.text}" if several else finding.text
                findings.append(replace(finding, text=text, sheet=sheet.key))
            if cancel:
                cancel.check()
    yield from sorted(findings, key=lambda finding: finding.severity != Severity.ERROR)


__all__ = ["Finding", "Mend", "Severity", "find", "look_at", "look_of"]
