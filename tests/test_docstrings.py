"""Everything that others may call says what it is: all of the core (ruff's D1), 95 of 100 of the window."""

import importlib
import inspect
import pkgutil
from collections.abc import Iterator

import even_palette.app


def public(module: object) -> Iterator[tuple[str, object]]:
    """Public functions, classes and methods of a module, but for what Qt names (lower case, then capitals)."""
    for name, thing in vars(module).items():
        own = getattr(thing, "__module__", "") == module.__name__  # type: ignore[attr-defined]
        if name.startswith("_") or not own or not (inspect.isfunction(thing) or inspect.isclass(thing)):
            continue
        yield name, thing
        for part, member in vars(thing).items() if inspect.isclass(thing) else ():
            of_qt = part[0].islower() and part != part.lower()
            if not part.startswith("_") and not of_qt and (inspect.isfunction(member) or isinstance(member, property)):
                yield f"{name}.{part}", getattr(thing, part)


def test_public_names_of_the_window_say_what_they_are() -> None:
    every, silent = 0, []
    for found in pkgutil.walk_packages(even_palette.app.__path__, "even_palette.app."):
        for name, thing in public(importlib.import_module(found.name)):
            every += 1
            if not inspect.getdoc(thing):
                silent.append(f"{found.name}.{name}")
    assert every > 400
    assert len(silent) <= every * 0.05, silent
