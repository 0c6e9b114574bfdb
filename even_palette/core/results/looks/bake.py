"""A bake of the sheet."""

from even_palette.core.errors import UserError
from even_palette.core.kit.model import Focus
from even_palette.core.kit.sheet import Bake
from even_palette.core.results.bakes import known_bake_plane
from even_palette.core.results.looks._declare import Chosen, Look, LookKind, Offered
from even_palette.core.results.pictures import Picture, map_picture
from even_palette.core.results.store import Store


def picture(at: Focus, store: Store, look: Look) -> Picture:
    """The bake, if it was made."""
    made = known_bake_plane(at, store, at.sheet.bake(look.bake))
    if made is None:
        raise UserError("The bake is being made …")
    return map_picture(made)


def bake_label(bake: Bake) -> str:
    """What a bake is called in lists: its kind, and its number if there are several."""
    words = bake.key.replace("_", " ")
    return f"{words[:1].upper()}{words[1:]}".replace("Id ", "ID ").replace(" ids", " IDs")


def offered(at: Focus, chosen: Chosen) -> Offered:
    """One a bake."""
    return [(f"Bake · {bake_label(bake)}", Look("bake", bake=bake.key)) for bake in at.sheet.bakes]


LOOK = LookKind("bake", 11, picture, offered, always_ready=True)
