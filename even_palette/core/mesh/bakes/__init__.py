"""Bakes: what a mesh tells a sheet. Every module of this package declares a `BAKE`; adding a bake is adding a file.

The modules are loaded when the first bake is asked for: compiled loops and sparse graphs take half a second to import.
"""

from __future__ import annotations

import importlib
import pkgutil
from functools import cache
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from even_palette.core.mesh.bakes._declare import BakeKind

BAKE_NAMES = tuple(sorted(module.name for module in pkgutil.iter_modules(__path__) if not module.name.startswith("_")))


@cache
def bakes() -> dict[str, BakeKind]:
    """The kinds of bakes by name, in the order in which they are offered."""
    kinds = [importlib.import_module(f"{__name__}.{name}").BAKE for name in BAKE_NAMES]
    return {kind.name: kind for kind in sorted(kinds, key=lambda kind: kind.place)}
