"""The kinds of tones: every module of this package that declares a TONE. Adding a tone is adding a file.

The modules are loaded when the first tone is asked for: their compiled loops take time to import.
"""

from __future__ import annotations

import importlib
import pkgutil
from functools import cache
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from even_palette.core.tones.kinds._declare import ToneKind

TONE_NAMES = tuple(sorted(module.name for module in pkgutil.iter_modules(__path__) if not module.name.startswith("_")))

REPLACING = ("adjusted", "neutral", "strands")
"""Kinds that may stand in place of the base colour."""


@cache
def tone_kinds() -> dict[str, ToneKind]:
    """The kinds of tones by name, in the order in which they are offered."""
    kinds = [importlib.import_module(f"{__name__}.{name}").TONE for name in TONE_NAMES]
    return {kind.name: kind for kind in sorted(kinds, key=lambda kind: kind.place)}
