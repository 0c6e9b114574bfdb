"""Pictures for small views, of planes in the mips that such a view reads: large ones need not be uploaded for it."""

from dataclasses import replace

from even_palette.core.graph.slots import Slot
from even_palette.core.raster.mips import level_of
from even_palette.core.raster.plane import Plane
from even_palette.core.results.pictures import Picture
from even_palette.core.results.store import Store

ASK_FOR_LEVELS = ("sample_lod", "layer_lod")
"""Look-ups that say which level they read, counted from the whole plane."""


def small_picture_of(shown: Picture, store: Store, most_side: int) -> Picture:
    """A picture with planes of at most so many texels a side, for views in which no more can be seen.

    Planes that are read without mips, or at levels that the expression asks for, stay as they are.
    """
    if all(max(slot.plane.width, slot.plane.height) <= most_side for slot in shown.slots.values()):
        return shown
    asked = {str(record.payload[0]) for record in shown.program.records if record.op in ASK_FOR_LEVELS}

    def small(name: str, slot: Slot) -> Slot:
        if name in asked or not slot.sampler.mips:
            return slot
        return replace(slot, planes=tuple(small_plane_of(plane, store, most_side) for plane in slot.planes))

    return replace(shown, slots={name: small(name, slot) for name, slot in shown.slots.items()})


def small_plane_of(plane: Plane, store: Store, most_side: int) -> Plane:
    """The finest mip of a plane that has at most so many texels a side."""
    number, side = 0, max(plane.width, plane.height)
    while side >> number > most_side:
        number += 1
    if not number:
        return plane
    return store.cache.get(("mip", plane.content_id, plane.encoding, number), lambda: level_of(plane, number))
