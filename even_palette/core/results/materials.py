"""The material of a sheet with the planes that it samples, and what its coats make of typical texels."""

import hashlib
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from even_palette.core.arrays import Floats, Levels, Samples, float32
from even_palette.core.colour.luma import luminance
from even_palette.core.colour.srgb import linear_to_srgb
from even_palette.core.errors import UserError
from even_palette.core.graph import slots
from even_palette.core.graph.fused import Frame, run_fused
from even_palette.core.graph.program import program_of
from even_palette.core.graph.reference import Environment, run
from even_palette.core.graph.slots import MOST_UNITS, Slot
from even_palette.core.jobs import CancelToken
from even_palette.core.kit.commands import read_cell
from even_palette.core.kit.model import Focus
from even_palette.core.kit.owners import OVER, coats_of, owner_name
from even_palette.core.material.build import (
    BASE_SLOT,
    IN_ATLAS,
    Dressed,
    Material,
    Pictures,
    SlotUse,
    build_material,
    linear_setting,
    map_plane,
    worn,
)
from even_palette.core.material.coats import COATS
from even_palette.core.material.model import Bound, Coat, Colour, PlaneKind, PlaneRef, PlaneUse, Setting
from even_palette.core.material.outputs import COLOUR, OUTPUTS
from even_palette.core.material.variants import MASTER, resolve
from even_palette.core.raster.mips import level_of
from even_palette.core.raster.plane import Encoding, Plane, colour_plane, rgb_of, to_levels8
from even_palette.core.raster.sampling import SMOOTH, sample, texel_centres
from even_palette.core.raster.tiles import TILE
from even_palette.core.regions.packing import Packing, PackingPlan, plane_and_channel
from even_palette.core.results.sheets import GREY, Sheets
from even_palette.core.results.tones import plane_size, strip_plane
from even_palette.core.tones.kinds import tone_kinds

TONES, SPOTS_A_TONE = 24, 6
THIN_SIDE = 512
FEW_TEXELS = 1 << 18
"""Up to here the reference is quicker than compiling a loop."""


def plane_of(at: Focus, sheets: Sheets, ref: PlaneRef) -> Plane:
    """The plane that a reference means. A bake that is not there is made, which may take long.

    Raises UserError if it cannot be read or is not there, and NotReady on the thread that only looks.
    """
    try:
        match ref.kind:
            case PlaneKind.MAP:
                return sheets.plane(at.sheet.map(ref.key))
            case PlaneKind.TONE:
                return sheets.tone(at, ref.key)
            case PlaneKind.PALETTE | PlaneKind.RAMP:
                return strip_plane(at, sheets, ref)
            case PlaneKind.BAKE:
                bake = at.sheet.bake(ref.key)
    except KeyError:
        raise UserError(f"A coat reads the {ref.kind} “{ref.key}”, which is not there.") from None
    return sheets.meshes.bake(at, bake)[0]


def pictures_of(at: Focus, sheets: Sheets) -> Pictures:
    """What a material must know of the planes of a sheet: maps by the output that they set, sizes, and the base."""
    found = {}
    for name, output in OUTPUTS.items():
        source = at.sheet.source(output.role) if output.role and name != COLOUR else None
        if source is not None:
            found[name] = map_plane(source.key)
    return Pictures(found, lambda ref: plane_size(at, sheets, ref), has_grey_base(at))


def has_grey_base(at: Focus) -> bool:
    """Whether a tone of one number a texel stands in place of the base colour."""
    return bool(at.sheet.base_tone) and tone_kinds()[at.sheet.tone(at.sheet.base_tone).kind].grey


def material_of(at: Focus, sheets: Sheets, live: bool = False) -> Material:
    """The material of a sheet. Raises UserError if a map that it needs cannot be read.

    For the thread that only looks it is remembered, so that a value that a variant has is dragged without building it.
    """

    def build() -> Material:
        regions = [dressed(at, sheets, region.key) for region in at.sheet.regions]
        over = dressed(at, sheets, OVER + at.key) if at.sheet.overcoats else None
        return build_material(regions, at.kit.parameters, at.kit.blending, live, over, pictures_of(at, sheets))

    return sheets.seen.get(("material", at.key, live), made_of(at), build) if sheets.cache.is_looked_at else build()


def made_of(at: Focus) -> tuple[object, ...]:
    """All parts of a kit that the material of a sheet is made of; what variants set is not among them."""
    kit = at.kit
    return at.sheet, kit.parameters, kit.recipes, kit.palettes, kit.ramps, kit.meshes, kit.blending


def strip_made_of(at: Focus, sheets: Sheets, owner: str, variant: str) -> tuple[object, ...]:
    """All that the strip of an owner in a variant is made of; equal where it is the same."""
    kit, sheet, coats = at.kit, at.sheet, coats_of(at.kit, owner)
    bound = {value.parameter for coat in coats for value in coat.values.values() if isinstance(value, Bound)}
    worn_in = [resolve(kit.parameters, kit.variants, key) for key in (variant, MASTER)]
    planes = (sheet.sources, sheet.bakes, sheet.tones, sheet.base_tone, kit.palettes, kit.ramps)
    values = tuple((key, *(settings[key] for settings in worn_in)) for key in sorted(bound))
    return coats, values, planes, sheets.weights_key(at), kit.blending


def dressed(at: Focus, sheets: Sheets, owner: str) -> Dressed:
    """A region, or the overcoats of the sheet, with the mean of the colour under each coat."""
    coats = coats_of(at.kit, owner)
    key = "Over" if owner.startswith(OVER) else owner
    first = _first_mean(at, sheets, owner)
    means = [first]
    for number in range(1, len(coats)):
        choices = {name: value for name, value in coats[number].values.items() if isinstance(value, str)}
        needed = bool(COATS[coats[number].kind].promise(choices))
        means.append(_mean_under(at, sheets, owner, coats[:number], tuple(means)) if needed else first)
    return Dressed(key, owner_name(at.kit, owner), coats, tuple(means[: len(coats)]))


def _first_mean(at: Focus, sheets: Sheets, owner: str) -> Colour:
    if owner.startswith(OVER):
        red, green, blue = map(float, GREY.linear()[0, 0])
        return (red, green, blue)
    number = [region.key for region in at.sheet.regions].index(owner)
    red, green, blue = map(float, sheets.means(at)[number])
    return (red, green, blue)


def _mean_under(at: Focus, sheets: Sheets, owner: str, coats: tuple[Coat, ...], means: tuple[Colour, ...]) -> Colour:
    """The mean colour of typical texels under these coats, as the master wears them."""
    region = Dressed("under", "", coats, means)
    settings = resolve(at.kit.parameters, at.kit.variants, MASTER)
    at_spots = _worn_at(at, sheets, region, settings, spots(at, sheets)[_row(at, owner)])
    red, green, blue = map(float, at_spots.mean(axis=0))
    return (red, green, blue)


def packing_plan(at: Focus, material: Material, live: bool = False, size: tuple[int, int] = (1, 1)) -> PackingPlan:
    """How the weights reach a shader: as the sheet says where the texture units suffice, else as one array."""
    keys = tuple(region.key for region in at.sheet.regions)
    wanted = PackingPlan(at.sheet.packing, at.sheet.channel_order, size, keys)
    fits = 1 + len(material.slots) + wanted.units <= MOST_UNITS
    return wanted if fits and not live else PackingPlan(Packing.ARRAY, keys)


def slots_of(at: Focus, sheets: Sheets, used: Mapping[str, SlotUse]) -> dict[str, Slot]:
    """The base colour and the planes that coats sample, by slot. Raises UserError for one that is not there."""
    base = sheets.tone(at, at.sheet.base_tone) if has_grey_base(at) else sheets.base_colour(at)
    found = {BASE_SLOT: slots.of(base)}
    for name, use in used.items():
        plane = plane_of(at, sheets, use.plane)
        if use.cells:
            found[name] = Slot(_cells(sheets, plane, use), use.sampler, is_array=True)
        elif use.below:
            strips = [plane, *(plane_of(at, sheets, ref) for ref in use.below)]
            found[name] = slots.of(_below_each_other(sheets, strips), use.sampler)
        else:
            found[name] = slots.of(_as_colour(at, sheets, use.plane, plane) if use.colour else plane, use.sampler)
    return found


def _below_each_other(sheets: Sheets, strips: list[Plane]) -> Plane:
    """Strips of one width as one sheet."""
    key = ("strips", *(strip.content_id for strip in strips))
    return sheets.cache.get(key, lambda: Plane(np.concatenate([strip.samples for strip in strips]), strips[0].encoding))


def _as_colour(at: Focus, sheets: Sheets, ref: PlaneRef, plane: Plane) -> Plane:
    """The plane with a colour's three channels at the least; greys as they are looked at are decoded."""
    if ref.kind == PlaneKind.TONE and tone_kinds()[at.sheet.tone(ref.key).kind].grey:
        plane = plane.with_encoding(Encoding.SRGB)
    if plane.channels > 2:
        return plane
    return sheets.cache.get(
        ("wide", plane.content_id), lambda: colour_plane(Plane(plane.samples, plane.encoding, plane.content_id))
    )


def _cells(sheets: Sheets, plane: Plane, use: SlotUse) -> tuple[Plane, ...]:
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

    return sheets.cache.get(("cells", plane.content_id, use.grid, use.cells), cut)


def cell_pictures(at: Focus, sheets: Sheets, use: PlaneUse, side: int) -> list[Levels]:
    """The cells of an atlas made small, (side, side, 3) uint8 each, encoded. Raises UserError if it is not there."""
    plane = plane_of(at, sheets, use.plane)
    cells = _cells(sheets, plane, SlotUse(use.plane, IN_ATLAS, True, use.grid, use.count))

    def small() -> list[Levels]:
        found = []
        for cell in cells:
            level = level_of(cell, max(0, min(cell.width, cell.height) // side).bit_length() - 1)
            seen = sample(level, texel_centres(side, side), SMOOTH)[..., :3]
            found.append(to_levels8(linear_to_srgb(seen)))
        return found

    return sheets.cache.get(("cell pictures", plane.content_id, use.grid, use.count, side), small)


def prepare_material(at: Focus, sheets: Sheets) -> None:
    """Make what the material of a sheet needs: weights, means, and the bakes that its coats read."""
    slots_of(at, sheets, material_of(at, sheets).slots)


# Typical texels


def spots(at: Focus, sheets: Sheets) -> Floats:
    """uv of typical texels of each region, and of the whole sheet as the last, from dark to light.

    (R + 1, 24 * 6, 2); those of a region without texels are the sheet's.
    """
    weights, base = sheets.weights(at), sheets.base_colour(at)

    def compute() -> Floats:
        tones = sheets.cache.get(("tones", base.content_id), lambda: _by_tone(base))
        height, width = weights.mask_sum.height, weights.mask_sum.width
        levels = weights.picked((tones.down * height).astype(int), (tones.across * width).astype(int))

        def of(level: Levels) -> Floats:
            key = ("typical", base.content_id, hashlib.blake2b(level.tobytes(), digest_size=16).digest())
            return sheets.cache.get(key, lambda: _spread(tones.places[level.ravel()[tones.order] > 127], tones.places))

        return np.stack([*map(of, levels), _spread(tones.places, tones.places)])

    return sheets.cache.get(("spots", base.content_id, weights.content_id), compute)


@dataclass(frozen=True)
class _Tones:
    """Texels in even steps over a sheet: v of their rows, u of their columns; numbers and uv from dark to light."""

    down: Floats
    across: Floats
    order: Samples
    places: Floats


def _by_tone(base: Plane) -> _Tones:
    step = max(1, -(-max(base.height, base.width) // THIN_SIDE))
    colours = float32(rgb_of(Plane(base.samples[::step, ::step], base.encoding).linear()))
    uv = texel_centres(base.height, base.width)[::step, ::step]
    order = np.argsort(luminance(colours), axis=None, kind="stable")
    return _Tones(uv[:, 0, 1].copy(), uv[0, :, 0].copy(), order, uv.reshape(-1, 2)[order])


def _spread(places: Floats, otherwise: Floats) -> Floats:
    """Of places (n, 2) by rising tone, an equal number from each of 24 parts; of others if there are none."""
    places = places if len(places) else otherwise
    chosen = [np.linspace(first, last, SPOTS_A_TONE + 2)[1:-1].astype(int) for first, last in _parts(len(places))]
    return float32(places[np.minimum(np.concatenate(chosen), len(places) - 1)])


def _parts(count: int) -> Iterator[tuple[int, int]]:
    yield from pairwise(np.linspace(0, count, TONES + 1).astype(int).tolist())


def _row(at: Focus, owner: str) -> int:
    keys = [region.key for region in at.sheet.regions]
    return len(keys) if owner.startswith(OVER) else keys.index(owner)


def paint_strip(at: Focus, sheets: Sheets, owner: str) -> Levels:
    """The paint of a region from dark to light, as it is; (24, 3) uint8, encoded."""
    uv = spots(at, sheets)[_row(at, owner)]
    base = sheets.base_colour(at)
    rows, columns = (uv[:, 1] * base.height).astype(int), (uv[:, 0] * base.width).astype(int)
    return _as_strip(float32(rgb_of(base.fetch(rows, columns))))


def coat_strip(at: Focus, sheets: Sheets, owner: str, variant: str, first: int | None = None) -> Levels:
    """Typical texels of an owner in its coats as a variant wears them, dark to light; (24, 3) uint8, encoded.

    With `first`, in so many of its coats alone.
    """
    region = dressed(at, sheets, owner)
    if first is not None:
        region = replace(region, coats=region.coats[:first], means=region.means[:first])
    settings = resolve(at.kit.parameters, at.kit.variants, variant)
    bound = {use.parameter: settings[use.parameter] for coat in region.coats for use in coat.values.values()
             if isinstance(use, Bound)}  # fmt: skip
    uv = spots(at, sheets)[_row(at, owner)]
    refs = [use.plane for coat in region.coats for use in (*coat.planes.values(), coat.pattern) if use]
    planes = [plane_of(at, sheets, ref).content_id for ref in refs]
    key = ("strip", sheets.base_colour(at).content_id, uv.tobytes(), repr(region), repr(bound), tuple(planes))
    return sheets.cache.get(key, lambda: _as_strip(_worn_at(at, sheets, region, settings, uv)))


def _worn_at(at: Focus, sheets: Sheets, region: Dressed, settings: Mapping[str, Setting], uv: Floats) -> Floats:
    """The colour of one owner's coats at some places, (n, 3) linear."""
    found = worn(region, at.kit.parameters, pictures_of(at, sheets))
    inputs = {name: linear_setting(setting) for name, setting in settings.items()}
    program = program_of({COLOUR: found.outputs[COLOUR]})
    return run(program, Environment(uv, slots_of(at, sheets, found.slots), inputs))[COLOUR]


def _as_strip(colours: Floats) -> Levels:
    return to_levels8(linear_to_srgb(float32(colours.reshape(TONES, SPOTS_A_TONE, 3).mean(axis=1))))


def clipped_share(
    at: Focus,
    sheets: Sheets,
    owner: str,
    variant: str,
    settings: Mapping[str, Setting],
    cancel: CancelToken | None = None,
) -> float:
    """Share of a region's weight, 0..1, where a coat's colour exceeds 1 in a channel before it is clipped."""
    region, weights = dressed(at, sheets, owner), sheets.weights(at)
    number = _row(at, owner)
    cell = read_cell(at.kit, owner, variant, dict(settings))
    found = worn(region, at.kit.parameters, pictures_of(at, sheets), live=True)
    read = slots_of(at, sheets, found.slots)
    planes = tuple((name, slot.content_id) for name, slot in sorted(read.items()))
    key = ("clipped", planes, weights.content_id, number, repr(region), repr(cell.settings))

    def compute() -> Floats:
        program = program_of({f"coat_{index}": node for index, node in enumerate(found.unclipped)})
        inputs = {**found.extra, **{name: linear_setting(setting) for name, setting in settings.items()}}
        there = {name: replace(slot, sampler=replace(slot.sampler, mips=False))
                 for name, slot in read.items()}  # fmt: skip
        plane, channel = plane_and_channel(number)
        packed = weights.packed[plane]
        step = 1 / packed.width, 1 / packed.height
        clipped = total = 0.0
        for first in range(0, packed.height, TILE):
            level = packed.rows(first, min(first + TILE, packed.height)).samples[..., channel]
            if not level.any():
                continue
            if cancel:
                cancel.check()
            if packed.width * packed.height <= FEW_TEXELS:
                uv = texel_centres(packed.height, packed.width)[first : first + TILE]
                results = run(program, Environment(uv, there, inputs, pixel=(step[0], 0.0, 0.0, step[1]))).values()
            else:
                frame = Frame(packed.width, len(level), (0.0, first * step[1]), step)
                results = run_fused(program, there, inputs, frame, cancel=cancel).values()
            over = np.any([np.any(result > 1 + 1e-6, axis=-1) for result in results], axis=0)
            clipped += float(level[over].sum(dtype=np.float64))
            total += float(level.sum(dtype=np.float64))
        return np.array([clipped / total if total else 0.0])

    return float(sheets.cache.get_lasting(np.ndarray, key, compute)[0])
