"""Commands that add, rename and remove sheets."""

from msgspec.structs import replace

from even_palette.core.errors import UserError
from even_palette.core.kit.commands import Command, without_unused
from even_palette.core.kit.model import Kit, Sheet, change_one, identifier, unique

MOST_SHEETS = 64


def add_sheet(name: str) -> Command:
    """Add an empty sheet."""

    def apply(kit: Kit) -> Kit:
        if len(kit.sheets) >= MOST_SHEETS:
            raise UserError(f"A kit holds at most {MOST_SHEETS} sheets.")
        final = unique(" ".join(name.split())[:60] or "Sheet", [sheet.name for sheet in kit.sheets])
        key = unique(identifier(final), [sheet.key for sheet in kit.sheets], "_")
        return replace(kit, sheets=(*kit.sheets, Sheet(key, final)))

    return Command("Add sheet", apply)


def rename_sheet(key: str, name: str) -> Command:
    def apply(kit: Kit) -> Kit:
        wanted = " ".join(name.split())[:60]
        if not wanted:
            raise UserError("A name needs at least one letter.")
        final = unique(wanted, [sheet.name for sheet in kit.sheets if sheet.key != key])
        return replace(
            kit, sheets=change_one(kit.sheets, lambda s: s.key == key, lambda sheet: replace(sheet, name=final))
        )

    return Command("Rename sheet", apply)


def remove_sheet(key: str) -> Command:
    """Remove a sheet with its regions; the last one stays."""

    def apply(kit: Kit) -> Kit:
        left = tuple(sheet for sheet in kit.sheets if sheet.key != key)
        if not left:
            raise UserError("A kit needs at least one sheet.")
        return without_unused(replace(kit, sheets=left))

    return Command("Remove sheet", apply)
