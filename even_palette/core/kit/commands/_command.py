"""What a command is, and what several are made of."""

from collections.abc import Callable
from dataclasses import dataclass

from even_palette.core.errors import UserError
from even_palette.core.kit.model import Kit
from even_palette.core.kit.names import unique


@dataclass(frozen=True)
class Command:
    """A change of the kit. Commands in a row with the same `merge` are one step of the history (a drag).

    `apply` raises UserError where the change is not possible.
    """

    label: str
    apply: Callable[[Kit], Kit]
    merge: str = ""


def new_name(name: str, others: list[str]) -> str:
    """A name without stray blanks that no other has. Raises UserError if nothing is left of it."""
    cleaned = " ".join(name.split())[:60]
    if not cleaned:
        raise UserError("A name needs at least one letter.")
    return unique(cleaned, others)


__all__ = ["Command"]
