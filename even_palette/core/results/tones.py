"""The planes of tones, named by what they are made of, and the facts of pictures that Tones shows."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from even_palette.core.arrays import Floats, Levels, Samples, float32
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken, Progress, silent
from even_palette.core.kit.model import Focus, Tone
from even_palette.core.material.levels import through_levels
from even_palette.core.material.model import PlaneKind, PlaneRef
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.sampling import Sampler, sample, texel_centres
from even_palette.core.raster.tiles import TiledPlane, grid_of
from even_palette.core.results.sources import map_name
from even_palette.core.tones.kinds import tone_kinds
from even_palette.core.tones.palette import levels_of_colours, strip_of
from even_palette.core.tones.ramp import ramp_strip

if TYPE_CHECKING:
    from even_palette.core.results.sheets import Sheets
    from even_palette.core.tones.kinds._declare import ToneGround


def made_tone(
    at: Focus, sheets: Sheets, tone: Tone, progress: Progress = silent, cancel: CancelToken | None = None
) -> Plane:
    """The plane of a tone, kept in memory and on disk. Raises UserError, or Cancelled."""
    key = tone_key(at, sheets, tone)
    kind = tone_kinds()[tone.kind]

    def compute() -> Plane:
        def make() -> Samples:
            return kind.make(ground_of_tone(at, sheets, tone, progress, cancel), kind.settings(tone.values))

        samples = sheets.cache.disk.get(np.ndarray, key, make)
        return TiledPlane(grid_of(samples, cancel), tone_encoding(at, tone))

    return sheets.cache.get(key, compute)


def ground_of_tone(
    at: Focus, sheets: Sheets, tone: Tone, progress: Progress = silent, cancel: CancelToken | None = None
) -> ToneGround:
    """What a tone is made of. Raises UserError."""
    from even_palette.core.results.materials import plane_of
    from even_palette.core.tones.kinds._declare import ToneGround

    kind = tone_kinds()[tone.kind]
    source = source_plane(at, sheets, tone)
    regions = [region.key for region in at.sheet.regions]

    def weight(region: str) -> Floats:
        found = sheets.weights(at, progress, cancel)
        level = found.levels[regions.index(region)]
        plane = Plane(np.ascontiguousarray(level)[..., None], Encoding.DATA)
        if (plane.height, plane.width) == (source.height, source.width):
            return plane.values()[..., 0]
        rows = [
            sample(plane, uv, Sampler())[..., 0]
            for uv in np.array_split(texel_centres(source.height, source.width), 16)
        ]
        return np.concatenate(rows)

    own = {key: kind.settings({**tone.values, **values}) for key, values in tone.own.items() if key in regions}
    entries = levels_of_colours(at.kit.palette(tone.palette).fitted) if tone.palette else None
    if kind.matches and entries is None:
        raise UserError(f"{tone.name} has no palette yet; choose one, or extract one.")
    if kind.packs and not tone.parts:
        raise UserError(f"{tone.name} holds no planes yet; choose up to four.")
    parts = []
    for use in tone.parts:
        plane = plane_of(at, sheets, use.plane)
        if (plane.height, plane.width) != (source.height, source.width):
            raise UserError(f"The planes that {tone.name} packs are not of one size.")
        parts.append(through_levels(float32(plane.values()[..., min(use.channel, plane.channels - 1)]), use))
    return ToneGround(source, own, weight, entries, tuple(parts), tuple(regions), progress, cancel)


def source_plane(at: Focus, sheets: Sheets, tone: Tone) -> Plane:
    """The picture that a tone is made of. Raises UserError if it is not there or cannot be read."""
    from even_palette.core.results.materials import plane_of

    ref = tone.parts[0].plane if tone.parts else tone.source
    if ref is not None:
        return plane_of(at, sheets, ref)
    if at.sheet.source(Role.BASE_COLOUR) is None:
        raise UserError("There is no base colour yet; open one in Source.")
    return sheets.paint(at)


def tone_key(at: Focus, sheets: Sheets, tone: Tone) -> tuple[object, ...]:
    """Names a tone by what it is made of; nothing is read for that."""
    kind = tone_kinds()[tone.kind]
    own = {key: kind.settings({**tone.values, **values}) for key, values in tone.own.items()}
    fitted = at.kit.palette(tone.palette).fitted if tone.palette else ()
    return (
        "tone", tone.kind, tuple(kind.settings(tone.values).items()), ref_name(at, sheets, tone.source),
        tuple((key, tuple(values.items())) for key, values in own.items()),
        sheets.weights_key(at) if own or kind.by_region else "", fitted,
        tuple((ref_name(at, sheets, use.plane), repr(use)) for use in tone.parts),
    )  # fmt: skip


def ref_name(at: Focus, sheets: Sheets, ref: PlaneRef | None) -> object:
    """Names a plane by what the kit says of it."""
    if ref is None:
        return map_name(at.sheet.source(Role.BASE_COLOUR))
    match ref.kind:
        case PlaneKind.TONE:
            return tone_key(at, sheets, at.sheet.tone(ref.key))
        case PlaneKind.BAKE:
            return sheets.meshes.bake_key(at, at.sheet.bake(ref.key))
        case PlaneKind.PALETTE:
            return at.kit.palette(ref.key)
        case PlaneKind.RAMP:
            return at.kit.ramp(ref.key)
    return map_name(at.sheet.map(ref.key))


def tone_encoding(at: Focus, tone: Tone) -> Encoding:
    """What the samples of a tone mean."""
    kind = tone_kinds()[tone.kind]
    if kind.encoding is not None:
        return kind.encoding
    ref = tone.source
    if ref is None:
        source = at.sheet.source(Role.BASE_COLOUR)
        return source.encoding if source else Encoding.SRGB
    match ref.kind:
        case PlaneKind.MAP:
            return at.sheet.map(ref.key).encoding
        case PlaneKind.TONE:
            return tone_encoding(at, at.sheet.tone(ref.key))
        case _:
            return Encoding.DATA


def plane_size(at: Focus, sheets: Sheets, ref: PlaneRef) -> tuple[int, int]:
    """Width and height of a plane by what the kit says of it; of a strip its entries and rows. Raises UserError."""
    try:
        match ref.kind:
            case PlaneKind.MAP:
                return sheets.size_of(at.sheet.map(ref.key))
            case PlaneKind.BAKE:
                side = at.sheet.bake(ref.key).size
                return side, side
            case PlaneKind.TONE:
                return _tone_size(at, sheets, at.sheet.tone(ref.key))
            case PlaneKind.PALETTE:
                palette = at.kit.palette(ref.key)
                return palette.size, len(palette.rows)
            case _:
                return 256, len(at.kit.ramp(ref.key).rows)
    except KeyError:
        raise UserError(f"A coat reads the {ref.kind} “{ref.key}”, which is not there.") from None


def _tone_size(at: Focus, sheets: Sheets, tone: Tone) -> tuple[int, int]:
    ref = tone.parts[0].plane if tone.parts else tone.source
    if ref is not None:
        width, height = plane_size(at, sheets, ref)
    else:
        source = at.sheet.source(Role.BASE_COLOUR)
        width, height = sheets.size_of(source) if source else (1, 1)
    kind = tone_kinds()[tone.kind]
    doubled = bool(kind.grows_by) and kind.settings(tone.values)[kind.grows_by] == "double"
    return (2 * width, 2 * height) if doubled else (width, height)


def strip_plane(at: Focus, sheets: Sheets, ref: PlaneRef) -> Plane:
    """The strip of a palette or ramp, (rows, n, 3) uint8 encoded. Raises KeyError."""
    if ref.kind == PlaneKind.PALETTE:
        palette = at.kit.palette(ref.key)
        return sheets.cache.get(("strip of", palette), lambda: Plane(strip_of(palette), Encoding.SRGB))
    ramp = at.kit.ramp(ref.key)
    return sheets.cache.get(("strip of", ramp), lambda: Plane(ramp_strip(ramp), Encoding.SRGB))


def entry_numbers(at: Focus, sheets: Sheets, tone: Tone) -> Levels:
    """The numbers of the entries that an index map shows, (H, W) uint8. Raises UserError."""
    stored = made_tone(at, sheets, tone).samples[..., 0]
    last = max(1, at.kit.palette(tone.palette).size - 1)
    return np.asarray(np.floor(stored.astype(np.float32) * last / 255 + 0.5), dtype=np.uint8)
