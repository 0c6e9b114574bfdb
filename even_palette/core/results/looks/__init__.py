"""Looks: what a pane can show. Every module of this package declares a `LOOK`; adding a look is adding a file."""

from even_palette.core.declared import declared
from even_palette.core.kit.model import Focus
from even_palette.core.results.looks._declare import Chosen, Look, LookKind, Offered
from even_palette.core.results.pictures import Picture
from even_palette.core.results.store import Store

__all__ = ["LOOKS", "Chosen", "Look", "LookKind", "offered", "picture"]

LOOKS: dict[str, LookKind] = {
    kind.name: kind for kind in sorted(declared(__name__, __path__, "LOOK"), key=lambda kind: kind.place)
}
"""The kinds of looks by name, in the order in which they are offered."""


def picture(at: Focus, store: Store, look: Look) -> Picture:
    """The expressions of a look. Raises UserError if a map that it needs cannot be read."""
    return LOOKS[look.kind].picture(at, store, look)


def offered(at: Focus, chosen: Chosen) -> Offered:
    """Everything that can be looked at on a sheet, with its name."""
    return [each for kind in LOOKS.values() for each in kind.offered(at, chosen)]
