"""Bakes: what a mesh tells a sheet. Every module of this package declares a `BAKE`; adding a bake is adding a file."""

import importlib
import pkgutil

from even_palette.core.mesh.bakes._declare import BakeKind

BAKES: dict[str, BakeKind] = {
    kind.name: kind
    for kind in sorted(
        (
            importlib.import_module(f"{__name__}.{module.name}").BAKE
            for module in pkgutil.iter_modules(__path__)
            if not module.name.startswith("_")
        ),
        key=lambda kind: (kind.place, kind.name),
    )
}
"""The kinds of bakes by name, in the order in which they are offered."""
