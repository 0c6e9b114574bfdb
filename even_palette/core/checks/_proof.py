"""What the checks of stage 7 begin with."""

from even_palette.core.errors import UserError
from even_palette.core.kit.model import Focus
from even_palette.core.proof.conditions import Conditions
from even_palette.core.results.proof import Shipped, shipped
from even_palette.core.results.sheets import Sheets


def meant_of(at: Focus, sheets: Sheets) -> Shipped | None:
    """The material of a sheet as it is meant to ship; None where nothing is asked of a runtime, or maps lack."""
    if at.sheet.conditions == Conditions():
        return None
    try:
        return shipped(at, sheets)
    except UserError:
        return None
