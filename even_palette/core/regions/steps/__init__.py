"""The kinds of steps: every module of this package that declares a STEP. Adding a step is adding a file."""

import importlib
import pkgutil

from even_palette.core.regions.steps._declare import Join, StepKind, StepValue, joined, strengthened

STEPS: dict[str, StepKind] = {
    step.name: step
    for module in sorted(pkgutil.iter_modules(__path__), key=lambda found: found.name)
    if not module.name.startswith("_")
    for step in [importlib.import_module(f"{__name__}.{module.name}").STEP]
}

__all__ = ["STEPS", "Join", "StepKind", "StepValue", "joined", "strengthened"]
