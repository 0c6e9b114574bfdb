"""What the modules of a package declare: the one way in which adding a thing is adding a file."""

import importlib
import pkgutil
from collections.abc import Iterable
from typing import Any


def declared(package: str, path: Iterable[str], name: str) -> list[Any]:
    """What each module of a package has under a name, by the modules' names; those that begin with _ have none.

    `path` is the package's own. Raises AttributeError for a module that declares nothing.
    """
    modules = sorted(found.name for found in pkgutil.iter_modules(path) if not found.name.startswith("_"))
    return [getattr(importlib.import_module(f"{package}.{module}"), name) for module in modules]
