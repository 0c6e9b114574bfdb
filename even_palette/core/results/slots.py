"""The planes that a material samples, as slots: maps as colours, strips below each other, cells of atlases."""

from collections.abc import Mapping

import numpy as np

from even_palette.core.arrays import Levels
from even_palette.core.colour.srgb import linear_to_srgb
from even_palette.core.errors import UserError
from even_palette.core.graph import slots
from even_palette.core.graph.slots import Slot
from even_palette.core.kit.model import Focus
from even_palette.core.material.build import BASE_SLOT
from even_palette.core.material.drawn import Way
from even_palette.core.material.model import PlaneKind, PlaneRef, PlaneUse
from even_palette.core.material.plane_reads import IN_ATLAS, SlotUse, map_plane
from even_palette.core.raster.chain import Chain, Coverage
from even_palette.core.raster.coverage import covering
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding, Plane, colour_plane, to_levels8
from even_palette.core.raster.sampling import SMOOTH, Sampler
from even_palette.core.results.base_colour import base_colour_of, has_grey_base
from even_palette.core.results.padded import padded
from even_palette.core.results.planes import plane_of, tone_of
from even_palette.core.results.store import Store
from even_palette.core.tones.kinds import TONES


def slots_of(at: Focus, store: Store, used: Mapping[str, SlotUse]) -> dict[str, Slot]:
    """The base colour and the planes that coats sample, by slot. Raises UserError for one that is not there."""
    base = tone_of(at, store, at.sheet.tone(at.sheet.base_tone)) if has_grey_base(at) else base_colour_of(at, store)
    kept_of, kept = coverage_kept(at)
    paint = at.sheet.source(Role.BASE_COLOUR)
    base_kept = kept if paint is not None and paint.key == kept_of and not at.sheet.base_tone else None
    found = {BASE_SLOT: _slot(store, padded(at, store, base), SMOOTH, base_kept)}
    for name, use in used.items():
        plane = plane_of(at, store, use.plane)
        if use.plane.kind in (PlaneKind.MAP, PlaneKind.TONE) and not use.cells:
            plane = padded(at, store, plane)
        if use.cells:
            found[name] = slots.layers(_cells(store, plane, use), use.sampler)
        elif use.below:
            strips = [plane, *(plane_of(at, store, ref) for ref in use.below)]
            found[name] = slots.of(_below_each_other(store, strips), use.sampler)
        else:
            own = kept if use.plane == map_plane(kept_of) else None
            found[name] = _slot(
                store, _as_colour(at, store, use.plane, plane) if use.colour else plane, use.sampler, own
            )
    return found


def coverage_kept(at: Focus) -> tuple[str, Coverage | None]:
    """The key of the map whose mips keep what is cut out of a sheet, and what they keep; "" for none."""
    given, drawing = at.sheet.given(Role.OPACITY), at.sheet.drawing
    if given is None or drawing.way != Way.CUT_OUT or not given.source.keep_coverage:
        return "", None
    return given.source.key, Coverage(given.use.channel, drawing.threshold)


def _slot(store: Store, plane: Plane, sampler: Sampler, kept: Coverage | None) -> Slot:
    """The slot of a plane, whose levels keep its coverage where that is wanted."""
    if kept is None or not sampler.mips:
        return slots.of(plane, sampler)
    chain = store.cache.get(("coverage", plane.content_id, kept), lambda: covering(Chain(plane), kept))
    return Slot((chain,), sampler)


def _below_each_other(store: Store, strips: list[Plane]) -> Plane:
    """Strips of one width as one sheet."""
    key = ("strips", *(strip.content_id for strip in strips))
    return store.cache.get(key, lambda: Plane(np.concatenate([strip.samples for strip in strips]), strips[0].encoding))


def _as_colour(at: Focus, store: Store, ref: PlaneRef, plane: Plane) -> Plane:
    """The plane with a colour's three channels at the least; greys as they are looked at are decoded."""
    if ref.kind == PlaneKind.TONE and TONES[at.sheet.tone(ref.key).kind].grey:
        plane = plane.with_encoding(Encoding.SRGB)
    if plane.channels > 2:
        return plane
    return store.cache.get(
        ("wide", plane.content_id), lambda: colour_plane(Plane(plane.samples, plane.encoding, plane.content_id))
    )


def _cells(store: Store, plane: Plane, use: SlotUse) -> tuple[Plane, ...]:
    """The cells of an atlas row by row; texels that a grid leaves over at the right and below are left out."""

    def cut() -> tuple[Plane, ...]:
        (columns, rows), whole = use.grid, colour_plane(Plane(plane.samples, plane.encoding))
        width, height = plane.width // columns, plane.height // rows
        if not width or not height:
            raise UserError(f"An atlas of {plane.width} × {plane.height} texels has no {columns} × {rows} cells.")
        found = []
        for number in range(use.cells):
            top, left = number // columns * height, number % columns * width
            part = np.ascontiguousarray(whole.samples[top : top + height, left : left + width])
            found.append(Plane(part, plane.encoding))
        return tuple(found)

    return store.cache.get(("cells", plane.content_id, use.grid, use.cells), cut)


def cell_pictures(at: Focus, store: Store, use: PlaneUse, side: int) -> list[Levels]:
    """The cells of an atlas made small, (side, side, 3) uint8 each, encoded. Raises UserError if it is not there."""
    plane = plane_of(at, store, use.plane)
    cells = _cells(store, plane, SlotUse(use.plane, IN_ATLAS, True, use.grid, use.count))

    def small() -> list[Levels]:
        found = []
        for cell in cells:
            found.append(to_levels8(linear_to_srgb(Chain(cell).made_small(side)[..., :3])))
        return found

    return store.cache.get(("cell pictures", plane.content_id, use.grid, use.count, side), small)
