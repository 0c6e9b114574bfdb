"""The planes that a kit names: maps, bakes, strips, and tones, which are made of such planes themselves."""

import numpy as np

from even_palette.core.arrays import Floats, Levels, Samples, float32
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken, Progress, silent
from even_palette.core.kit.model import Focus
from even_palette.core.kit.sheet import Tone
from even_palette.core.material.input_levels import through_levels
from even_palette.core.material.model import PlaneKind, PlaneRef
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.sampling import Sampler, sample, texel_centres
from even_palette.core.raster.tiles import TiledPlane, grid_of
from even_palette.core.results.bakes import bake_name, bake_of
from even_palette.core.results.file_names import map_name
from even_palette.core.results.maps import paint_of, plane_of_map, size_of_map
from even_palette.core.results.mask_tones import mask_plane, mask_tone_name, painted_plane, size_of_mask_tone
from even_palette.core.results.store import Store
from even_palette.core.results.weights import weights_name, weights_of
from even_palette.core.tones.kinds import TONES
from even_palette.core.tones.kinds._declare import MadeOf, ToneGround
from even_palette.core.tones.palette import levels_of_colours, strip_of
from even_palette.core.tones.ramp import ramp_strip

NO_PICTURE = Plane(np.zeros((1, 1, 1), np.uint8), Encoding.DATA)


def plane_of(at: Focus, store: Store, ref: PlaneRef) -> Plane:
    """The plane that a reference means. A bake that is not there is made, which may take long.

    Raises UserError if it cannot be read or is not there, and NotReady on the thread that only looks.
    """
    try:
        match ref.kind:
            case PlaneKind.MAP:
                return plane_of_map(at.sheet.map(ref.key), store)
            case PlaneKind.TONE:
                return tone_of(at, store, at.sheet.tone(ref.key))
            case PlaneKind.PALETTE | PlaneKind.RAMP:
                return strip_plane(at, store, ref)
            case PlaneKind.BAKE:
                bake = at.sheet.bake(ref.key)
    except KeyError:
        raise UserError(f"A coat reads the {ref.kind} “{ref.key}”, which is not there.") from None
    return bake_of(at, store, bake)[0]


def plane_name(at: Focus, store: Store, ref: PlaneRef | None) -> object:
    """Names a plane by what the kit says of it."""
    if ref is None:
        return map_name(at.sheet.source(Role.BASE_COLOUR))
    match ref.kind:
        case PlaneKind.TONE:
            return tone_name(at, store, at.sheet.tone(ref.key))
        case PlaneKind.BAKE:
            return bake_name(at, store, at.sheet.bake(ref.key))
        case PlaneKind.PALETTE:
            return at.kit.palette(ref.key)
        case PlaneKind.RAMP:
            return at.kit.ramp(ref.key)
    return map_name(at.sheet.map(ref.key))


def plane_size(at: Focus, store: Store, ref: PlaneRef) -> tuple[int, int]:
    """Width and height of a plane by what the kit says of it; of a strip its entries and rows. Raises UserError."""
    try:
        match ref.kind:
            case PlaneKind.MAP:
                return size_of_map(at.sheet.map(ref.key), store)
            case PlaneKind.BAKE:
                side = at.sheet.bake(ref.key).size
                return side, side
            case PlaneKind.TONE:
                return _tone_size(at, store, at.sheet.tone(ref.key))
            case PlaneKind.PALETTE:
                palette = at.kit.palette(ref.key)
                return palette.size, len(palette.rows)
            case _:
                return 256, len(at.kit.ramp(ref.key).rows)
    except KeyError:
        raise UserError(f"A coat reads the {ref.kind} “{ref.key}”, which is not there.") from None


def strip_plane(at: Focus, store: Store, ref: PlaneRef) -> Plane:
    """The strip of a palette or ramp, (rows, n, 3) uint8 encoded. Raises KeyError."""
    if ref.kind == PlaneKind.PALETTE:
        palette = at.kit.palette(ref.key)
        return store.cache.get(("strip of", palette), lambda: Plane(strip_of(palette), Encoding.SRGB))
    ramp = at.kit.ramp(ref.key)
    return store.cache.get(("strip of", ramp), lambda: Plane(ramp_strip(ramp), Encoding.SRGB))


def tone_of(
    at: Focus, store: Store, tone: Tone, progress: Progress = silent, cancel: CancelToken | None = None
) -> Plane:
    """The plane of a tone, kept in memory and on disk. Raises UserError, or Cancelled."""
    key = tone_name(at, store, tone)
    kind = TONES[tone.kind]

    def compute() -> Plane:
        if kind.made_of == MadeOf.PAINT:
            return painted_plane(store, tone, cancel)
        if kind.made_of == MadeOf.MASK:
            return mask_plane(at, store, tone, cancel)

        def make() -> Samples:
            assert kind.make is not None
            return kind.make(ground_of_tone(at, store, tone, progress, cancel), kind.settings(tone.values))

        samples = store.cache.disk.get(np.ndarray, key, make)
        return TiledPlane(grid_of(samples, cancel), tone_encoding(at, tone))

    return store.cache.get(key, compute)


def tone_name(at: Focus, store: Store, tone: Tone) -> tuple[object, ...]:
    """Names a tone by what it is made of; nothing is read for that."""
    kind = TONES[tone.kind]
    own = {key: kind.settings({**tone.values, **values}) for key, values in tone.own.items()}
    fitted = at.kit.palette(tone.palette).fitted if tone.palette else ()
    match kind.made_of:
        case MadeOf.PICTURE:
            picture = plane_name(at, store, tone.source)
        case MadeOf.PAINT:
            picture = tone.paint.content_id if tone.paint else ""
        case MadeOf.MASK:
            picture = mask_tone_name(at, store, tone)
        case _:
            picture = ()
    return (
        "tone", tone.kind, tuple(kind.settings(tone.values).items()), picture,
        tuple((key, tuple(values.items())) for key, values in own.items()),
        weights_name(at, store) if own or kind.by_region else "", fitted,
        tuple((plane_name(at, store, use.plane), repr(use)) for use in tone.parts),
    )  # fmt: skip


def tone_encoding(at: Focus, tone: Tone) -> Encoding:
    """What the samples of a tone mean."""
    kind = TONES[tone.kind]
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


def _tone_size(at: Focus, store: Store, tone: Tone) -> tuple[int, int]:
    kind = TONES[tone.kind]
    if kind.made_of in (MadeOf.PAINT, MadeOf.MASK):
        return size_of_mask_tone(at, store, tone)
    if kind.made_of == MadeOf.NOTHING:
        side = int(kind.settings(tone.values)[kind.sized_by])
        return side, side
    ref = tone.parts[0].plane if tone.parts else tone.source
    if ref is not None:
        width, height = plane_size(at, store, ref)
    else:
        source = at.sheet.source(Role.BASE_COLOUR)
        width, height = size_of_map(source, store) if source else (1, 1)
    doubled = bool(kind.grows_by) and kind.settings(tone.values)[kind.grows_by] == "double"
    return (2 * width, 2 * height) if doubled else (width, height)


def ground_of_tone(
    at: Focus, store: Store, tone: Tone, progress: Progress = silent, cancel: CancelToken | None = None
) -> ToneGround:
    """What a tone is made of. Raises UserError."""
    kind = TONES[tone.kind]
    source = picture_of_tone(at, store, tone)
    regions = [region.key for region in at.sheet.regions]

    def weight(region: str) -> Floats:
        found = weights_of(at, store, progress, cancel)
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
    if kind.made_of == MadeOf.PLANES and not tone.parts:
        raise UserError(f"{tone.name} holds no planes yet; choose up to four.")
    parts = []
    for use in tone.parts:
        plane = plane_of(at, store, use.plane)
        if (plane.height, plane.width) != (source.height, source.width):
            raise UserError(f"The planes that {tone.name} packs are not of one size.")
        parts.append(through_levels(float32(plane.values()[..., min(use.channel, plane.channels - 1)]), use))
    return ToneGround(source, own, weight, entries, tuple(parts), tuple(regions), progress, cancel)


def picture_of_tone(at: Focus, store: Store, tone: Tone) -> Plane:
    """The picture that a tone is made of. Raises UserError if it is not there or cannot be read."""
    if TONES[tone.kind].made_of == MadeOf.NOTHING:
        return NO_PICTURE
    ref = tone.parts[0].plane if tone.parts else tone.source
    if ref is not None:
        return plane_of(at, store, ref)
    if at.sheet.source(Role.BASE_COLOUR) is None:
        raise UserError("There is no base colour yet; open one in Source.")
    return paint_of(at, store)


def entry_numbers(at: Focus, store: Store, tone: Tone) -> Levels:
    """The numbers of the entries that an index map shows, (H, W) uint8. Raises UserError."""
    stored = tone_of(at, store, tone).samples[..., 0]
    last = max(1, at.kit.palette(tone.palette).size - 1)
    return np.asarray(np.floor(stored.astype(np.float32) * last / 255 + 0.5), dtype=np.uint8)
