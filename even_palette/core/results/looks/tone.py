"""A tone as it is stored."""

import numpy as np

from even_palette.core.colour.hexcode import Rgb8
from even_palette.core.errors import UserError
from even_palette.core.kit.model import Focus
from even_palette.core.raster.plane import Plane
from even_palette.core.results.looks._declare import Chosen, Look, LookKind, Offered
from even_palette.core.results.pictures import Picture, map_picture
from even_palette.core.results.planes import tone_of
from even_palette.core.results.store import Store


def plane_of_tone(at: Focus, store: Store, key: str) -> Plane:
    """The plane of a tone by its key. Raises UserError if it is not there."""
    if all(tone.key != key for tone in at.sheet.tones):
        raise UserError("There is no such tone yet; add one in Tones.")
    return tone_of(at, store, at.sheet.tone(key))


def picture(at: Focus, store: Store, look: Look) -> Picture:
    """The tone."""
    return map_picture(plane_of_tone(at, store, look.map))


def entry_at(at: Focus, store: Store, look: Look, uv: tuple[float, float]) -> tuple[int, Rgb8] | None:
    """The entry that an index map shows."""
    tone = at.sheet.tone(look.map)
    if not tone.palette:
        return None
    palette, plane = at.kit.palette(tone.palette), tone_of(at, store, tone)
    row, column = min(int(uv[1] * plane.height), plane.height - 1), min(int(uv[0] * plane.width), plane.width - 1)
    stored = float(plane.fetch(np.array([row]), np.array([column]))[0, 0])
    number = int(stored * max(1, palette.size - 1) + 0.5)
    return number, palette.rows[0].colours[number]


def offered(at: Focus, chosen: Chosen) -> Offered:
    """One a tone."""
    return [(f"Tone · {tone.name}", Look("tone", map=tone.key)) for tone in at.sheet.tones]


LOOK = LookKind("tone", 12, picture, offered, entry_at=entry_at)
