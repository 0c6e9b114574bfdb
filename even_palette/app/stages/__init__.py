"""The stages of the work: every module of this package declares a `STAGE`; adding a stage is adding a file.

Panels and pages are read when their stage is entered first.
"""

import importlib
import pkgutil

from even_palette.app.stage import Stage

STAGES: tuple[Stage, ...] = tuple(
    sorted(
        (importlib.import_module(f"{__name__}.{module.name}").STAGE for module in pkgutil.iter_modules(__path__)),
        key=lambda stage: (stage.place, stage.name),
    )
)
"""In the order of the work."""
