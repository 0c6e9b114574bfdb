"""A map as it was read."""

from even_palette.core.errors import UserError
from even_palette.core.kit.model import Focus
from even_palette.core.kit.sheet import Source
from even_palette.core.raster.guess import COLOUR_ROLES, Role
from even_palette.core.results.looks._declare import Chosen, Look, LookKind, Offered
from even_palette.core.results.maps import plane_of_map
from even_palette.core.results.pictures import Picture, map_picture
from even_palette.core.results.store import Store


def _source(at: Focus, look: Look) -> Source | None:
    if not look.map:
        return at.sheet.source(Role.BASE_COLOUR)
    return next((source for source in at.sheet.sources if source.key == look.map), None)


def picture(at: Focus, store: Store, look: Look) -> Picture:
    """The map; colours are filtered in linear light."""
    source = _source(at, look)
    if source is None:
        raise UserError("There is no such map yet; open one in Source.")
    return map_picture(plane_of_map(source, store))


def offered(at: Focus, chosen: Chosen) -> Offered:
    """One a map."""
    found: Offered = []
    for source in at.sheet.sources:
        base = source.role == Role.BASE_COLOUR
        name = source.key.replace("_", " ") if source.role == Role.NONE else source.role
        found.append((f"Source · {name}", Look("source", map="" if base else source.key)))
    return found


def is_colour(at: Focus, look: Look) -> bool:
    """Whether the map holds colours."""
    source = _source(at, look)
    return source is None or source.role in COLOUR_ROLES


LOOK = LookKind("source", 5, picture, offered, is_colour=is_colour)
