"""The kinds of coats: every module of this package that declares a COAT. Adding a coat is adding a file."""

import importlib
import pkgutil

from even_palette.core.material.declare import CoatKind

COATS: dict[str, CoatKind] = {
    coat.name: coat.with_strength()
    for module in sorted(pkgutil.iter_modules(__path__), key=lambda found: found.name)
    for coat in [importlib.import_module(f"{__name__}.{module.name}").COAT]
}
