"""What lies under all coats: the paint, or the tone that takes its place."""

from even_palette.core.kit.model import Focus
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding, Plane, colour_plane
from even_palette.core.results.file_names import map_name
from even_palette.core.results.maps import paint_of
from even_palette.core.results.planes import tone_name, tone_of
from even_palette.core.results.store import Store
from even_palette.core.tones.kinds import TONES


def base_colour_of(at: Focus, store: Store) -> Plane:
    """What lies under all coats, three channels or four: the paint, or the tone that takes its place."""
    if not at.sheet.base_tone:
        return paint_of(at, store)
    made = tone_of(at, store, at.sheet.tone(at.sheet.base_tone))
    if made.channels > 2:
        return made.with_encoding(Encoding.SRGB)
    return store.cache.get(
        ("grey base", made.content_id),
        lambda: colour_plane(Plane(made.samples, Encoding.SRGB, f"tone {made.content_id}")),
    )


def base_name_of(at: Focus, store: Store) -> tuple[object, ...]:
    """Names what lies under all coats by what the kit says of it."""
    if not at.sheet.base_tone:
        return map_name(at.sheet.source(Role.BASE_COLOUR))
    return tone_name(at, store, at.sheet.tone(at.sheet.base_tone))


def has_grey_base(at: Focus) -> bool:
    """Whether a tone of one number a texel stands in place of the base colour."""
    return bool(at.sheet.base_tone) and TONES[at.sheet.tone(at.sheet.base_tone).kind].grey
