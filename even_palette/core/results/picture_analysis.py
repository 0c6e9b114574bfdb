"""What Tones does with the pictures of a sheet: palettes, facts of neutrals, what survives of an index map."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace

from even_palette.core.arrays import Floats, Levels, float32
from even_palette.core.colour.srgb import linear_to_srgb
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken, Progress, silent
from even_palette.core.kit import commands
from even_palette.core.kit.commands import Command
from even_palette.core.kit.model import Focus, Kit
from even_palette.core.kit.sheet import Tone
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Plane, rgb_of, to_levels8
from even_palette.core.raster.sampling import sample
from even_palette.core.results.index_survival import Survivor, survive
from even_palette.core.results.maps import paint_of
from even_palette.core.results.planes import entry_numbers, ground_of_tone, picture_of_tone, tone_name, tone_of
from even_palette.core.results.store import Store
from even_palette.core.results.weights import weights_name, weights_of
from even_palette.core.tones.kinds import TONES
from even_palette.core.tones.kinds._declare import ToneGround
from even_palette.core.tones.neutral import Histogram, advice, histogram_of
from even_palette.core.tones.palette import levels_of_colours, new_palette, used_entries
from even_palette.core.tones.ramp import STRIP_TEXELS, Ramp, row_of_strip

PICTURE = Tone("", "", "index")
LINE_TOLERANCE = 0.02
"""OKLab distance within which a ramp follows the colours along a line."""


def picture_levels(at: Focus, store: Store, tone: Tone = PICTURE) -> Levels:
    """The picture that a tone is made of, (H, W, 3) uint8, encoded; of no tone the base colour. Raises UserError."""
    return ToneGround(picture_of_tone(at, store, tone)).levels()


def extract_palette(
    at: Focus,
    store: Store,
    size: int,
    method: str = "chain",
    region: str = "",
    tone: Tone = PICTURE,
    kept: Sequence[tuple[int, int, int]] = (),
    shared_by: Sequence[str] = (),
    progress: Progress = silent,
    cancel: CancelToken | None = None,
) -> Command:
    """A command that adds a palette of a picture's colours and, of the whole sheet, an index map made by it.

    Of a region, texels count by its weight. Where store share it, their base colours count as well, and each gets an
    index map. Raises UserError, or Cancelled.
    """
    from even_palette.core.tones.colours import count_colours
    from even_palette.core.tones.palette_fit import Method, fit_palette

    rgb = picture_levels(at, store, tone)
    weights: list[Floats | None] = [_weight(at, store, region, rgb.shape[0], rgb.shape[1])] if region else []
    others = [at.kit.at(key) for key in shared_by if key != at.key]
    colours = count_colours([rgb, *(picture_levels(other, store) for other in others)], weights)
    if not colours.count:
        raise UserError("The region has no texels; there are no colours to extract.")
    entries = fit_palette(colours, size, Method(method), kept, progress, cancel)
    name = at.kit.region(region).name if region else "Shared" if others else at.sheet.name

    def apply(kit: Kit) -> Kit:
        kit = commands.add_palette(new_palette("palette", f"{name} {len(entries)}", entries)).apply(kit)
        made = kit.palettes[-1]
        index = Tone("index", f"Index of {made.name}", "index", tone.source, palette=made.key)
        for key, each in ((at.key, index), *((other.key, replace(index, source=None)) for other in others)):
            kit = commands.add_tone(key, each).apply(kit)
        return kit

    return Command("Extract palette", apply)


def refit_palette(
    at: Focus, store: Store, tone: Tone, size: int, method: str, progress: Progress, cancel: CancelToken | None
) -> Command:
    """A command that fits the palette of an index map anew; its rows begin again with one. Raises UserError."""
    from even_palette.core.tones.colours import count_colours
    from even_palette.core.tones.palette_fit import Method, fit_palette

    palette = at.kit.palette(tone.palette)
    colours = count_colours([picture_levels(at, store, tone)])
    entries = fit_palette(colours, size, Method(method), palette.kept, progress, cancel)
    fresh = new_palette(palette.key, palette.name, entries)
    return commands.change_palette(palette.key, "Fit palette anew", lambda old: replace(fresh, kept=old.kept))


def _weight(at: Focus, store: Store, region: str, height: int, width: int) -> Floats:
    number = [other.key for other in at.sheet.regions].index(region)
    level = weights_of(at, store).levels[number]
    rows, columns = np.arange(height) * level.shape[0] // height, np.arange(width) * level.shape[1] // width
    return float32(level[np.ix_(rows, columns)]) / np.float32(255)


def entry_counts(at: Focus, store: Store, tone: Tone) -> list[int]:
    """How many texels show each entry of the palette of an index map. Raises UserError."""
    counts = used_entries(entry_numbers(at, store, tone), at.kit.palette(tone.palette).size)
    return [int(count) for count in counts]


def survival_of(
    at: Focus, store: Store, tone: Tone, row: int = 0, progress: Progress = silent, cancel: CancelToken | None = None
) -> list[Survivor]:
    """How the picture of an index map survives a runtime, in a row of its palette. Raises UserError, or Cancelled.

    The first row is measured against the picture. For others nobody painted one: the quantized picture in their colours
    stands for it.
    """
    if tone.kind != "index" or not tone.palette:
        raise UserError("Choose an index map with a palette; its survival is measured against its picture.")
    strip = levels_of_colours(at.kit.palette(tone.palette).rows[row].colours)
    numbers = entry_numbers(at, store, tone)
    source = strip[numbers] if row else picture_levels(at, store, tone)
    return survive(source, numbers, strip, progress, cancel)


def ramp_of_line(at: Focus, store: Store, start: tuple[float, float], end: tuple[float, float]) -> Command:
    """A command that adds a ramp of the paint's colours along a line between two places in uv. Raises UserError."""
    if at.sheet.source(Role.BASE_COLOUR) is None:
        raise UserError("There is no base colour yet; open one in Source.")
    share = np.linspace(0, 1, STRIP_TEXELS)[:, None]
    linear = sample(paint_of(at, store), float32(np.array(start) * (1 - share) + np.array(end) * share))
    colours = to_levels8(linear_to_srgb(float32(np.clip(rgb_of(linear), 0, 1))))
    return commands.add_ramp(Ramp("ramp", "Line", (row_of_strip("Line", colours, LINE_TOLERANCE),)))


@dataclass(frozen=True, eq=False)
class ToneFacts:
    """The greys of a region, or of a whole sheet, before and after a neutral, and what that means for tints."""

    before: Histogram
    after: Histogram
    told: str


def tone_facts(at: Focus, store: Store, tone: Tone, region: str = "") -> ToneFacts:
    """The histograms of a neutral. Raises UserError."""
    from even_palette.core.tones.kinds.neutral import grey

    settings = TONES[tone.kind].settings({**tone.values, **tone.own.get(region, {})})

    def compute() -> ToneFacts:
        ground = ground_of_tone(at, store, tone)
        step = max(1, max(ground.source.height, ground.source.width) // 1024)
        small = Plane(ground.source.samples[::step, ::step], ground.source.encoding)
        plane = tone_of(at, store, tone)
        after = float32(plane.values()[::step, ::step, 0])
        weight = _weight(at, store, region, small.height, small.width) if region else None
        before = grey(ToneGround(small), settings, weight)
        made = histogram_of(after, weight)
        return ToneFacts(histogram_of(before, weight), made, advice(made))

    name = ("tone facts", tone_name(at, store, tone), region, weights_name(at, store) if region else "")
    return store.cache.get(name, compute)
