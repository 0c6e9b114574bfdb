"""Cells of the board as readable text, for the clipboard: they go from window to window, and into messages."""

import msgspec
from msgspec.structs import replace

from even_palette.core.errors import UserError
from even_palette.core.kit.commands.cells import Cell
from even_palette.core.kit.validate_coats import check_coats

MARK = "even_palette_cell"
MOST_TEXT = 1 << 20
"""Characters of a text that is looked at."""


class _Text(msgspec.Struct, forbid_unknown_fields=True):
    even_palette_cell: int
    cell: Cell


def cell_to_text(cell: Cell) -> str:
    """JSON that `cell_from_text` reads again."""
    return msgspec.json.format(msgspec.json.encode(_Text(1, cell)), indent=2).decode()


def is_cell(text: str) -> bool:
    """Whether a text means to be a cell."""
    return MARK in text[:64] and len(text) <= MOST_TEXT


def cell_from_text(text: str) -> Cell:
    """The cell of a text. Raises UserError for what is none, or was changed to what cannot be."""
    try:
        found = msgspec.json.decode(text.encode(), type=_Text)
    except (msgspec.MsgspecError, RecursionError) as error:
        raise UserError(f"This text is no cell of the board: {str(error)[:160]}.") from None
    cell = found.cell
    if found.even_palette_cell != 1:
        raise UserError("This cell was copied by a newer version of the program.")
    if not len(cell.coats) == len(cell.choices) == len(cell.settings):
        raise UserError("This text is no cell of the board: it has values of coats that are not there.")
    each = zip(cell.coats, cell.choices, cell.settings, strict=True)
    check_coats("the copied cell", tuple(replace(coat, values={**ways, **own}) for coat, ways, own in each))
    return cell
