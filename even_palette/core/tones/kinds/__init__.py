"""The kinds of tones: every module of this package that declares a TONE. Adding a tone is adding a file."""

import importlib
import pkgutil

from even_palette.core.tones.kinds._declare import ToneKind

TONES: dict[str, ToneKind] = {
    kind.name: kind
    for kind in sorted(
        (
            importlib.import_module(f"{__name__}.{module.name}").TONE
            for module in pkgutil.iter_modules(__path__)
            if not module.name.startswith("_")
        ),
        key=lambda kind: (kind.place, kind.name),
    )
}
"""The kinds of tones by name, in the order in which they are offered."""
