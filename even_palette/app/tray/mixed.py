"""What several cells that are chosen on the board have in common, and what they have each otherwise."""

from collections.abc import Sequence

from PyQt6.QtWidgets import QComboBox

from even_palette.app.number import NumberRow
from even_palette.app.swatch.editor import SwatchEditor
from even_palette.core.kit import commands
from even_palette.core.kit.coat_owners import Owner, owner_name
from even_palette.core.kit.model import Kit

MIXED = "mixed"
MOST_NAMED = 3


def mixed_values(kit: Kit, cells: Sequence[tuple[Owner, str, int]]) -> set[str]:
    """The names of values that these coats, of one kind, do not all have alike."""
    if len(cells) < 2:
        return set()
    found = []
    for owner, variant, coat in cells:
        cell = commands.read_cell(kit, owner, variant)
        found.append({**cell.choices[coat], **cell.settings[coat]})
    return {name for name, value in found[0].items() if any(other.get(name) != value for other in found[1:])}


def show_mixed(editor: QComboBox | SwatchEditor | NumberRow) -> None:
    """Show that a value differs; what is set then is set for all."""
    if isinstance(editor, QComboBox):
        editor.setPlaceholderText(MIXED)
        editor.setCurrentIndex(-1)
    else:
        editor.show_mixed(MIXED)


def title_of(kit: Kit, cells: Sequence[tuple[Owner, str]]) -> str:
    """What is edited, by name: one cell, or how many of which rows and columns."""
    names = kit.variant_names
    owners = list(dict.fromkeys(owner_name(kit, owner) for owner, _ in cells))
    variants = list(dict.fromkeys(names[variant] for _, variant in cells))
    return f"{_listed(owners, 'regions')} · {_listed(variants, 'variants')}"


def _listed(names: Sequence[str], noun: str) -> str:
    return ", ".join(names) if len(names) <= MOST_NAMED else f"{len(names)} {noun}"
