"""A plane of its own for a coat, to be painted."""

from even_palette.core.kit.coat_owners import Owner
from even_palette.core.kit.commands._command import Command
from even_palette.core.kit.commands.coats import set_coat_plane, set_pattern
from even_palette.core.kit.commands.tones import add_tone
from even_palette.core.kit.model import Kit
from even_palette.core.kit.sheet import Tone
from even_palette.core.material.model import PlaneKind, PlaneRef, PlaneUse
from even_palette.core.material.plane_numbers import PATTERN


def add_pattern(owner: Owner, coat: int, plane: str, sheet: str, tone: Tone) -> Command:
    """Add a tone to a sheet and let a coat read it, as one step: under the name of a plane, or as its pattern."""

    def apply(kit: Kit) -> Kit:
        kit = add_tone(sheet, tone).apply(kit)
        use = PlaneUse(PlaneRef(PlaneKind.TONE, kit.sheet(sheet).tones[-1].key))
        chosen = set_pattern(owner, coat, use) if plane == PATTERN else set_coat_plane(owner, coat, plane, use)
        return chosen.apply(kit)

    return Command("Add pattern", apply)


__all__ = ["add_pattern"]
