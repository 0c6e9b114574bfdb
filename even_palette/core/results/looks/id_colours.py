"""The ID colours of a sheet, of its map or of what was given to its regions."""

from even_palette.core.errors import UserError
from even_palette.core.kit.model import Focus
from even_palette.core.raster.guess import Role
from even_palette.core.results.looks._declare import Chosen, Look, LookKind, Offered
from even_palette.core.results.pictures import Picture, map_picture
from even_palette.core.results.shown_ids import shown_ids_of
from even_palette.core.results.store import Store


def picture(at: Focus, store: Store, look: Look) -> Picture:
    """The ID colours, texel by texel."""
    ids = shown_ids_of(at, store)
    if ids is None:
        raise UserError("There is no ID map and no mesh yet; open one in Source.")
    return map_picture(ids, sharp=True)


def offered(at: Focus, chosen: Chosen) -> Offered:
    """Where there is a map or a mesh."""
    there = at.sheet.source(Role.ID) or at.sheet.id_bake or at.kit.meshes_on(at.key)
    return [("ID colours", Look("id_colours"))] if there else []


LOOK = LookKind("id_colours", 6, picture, offered)
