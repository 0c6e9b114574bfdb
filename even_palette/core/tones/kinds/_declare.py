"""What a kind of tone declares, and what it is made of."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from enum import StrEnum

import numpy as np

from even_palette.core.arrays import Floats, Levels, Samples
from even_palette.core.colour.srgb import linear_to_srgb
from even_palette.core.jobs import CancelToken, Progress, silent
from even_palette.core.raster.plane import Encoding, Plane, rgb_of, stored_values
from even_palette.core.settings import Settings, SettingSpec, filled


class MadeOf(StrEnum):
    """What a kind of tone is made of: a picture, other planes, nothing but its settings, what is painted into it,
    or the mask of a region."""

    PICTURE = "picture"
    PLANES = "planes"
    NOTHING = "nothing"
    PAINT = "paint"
    MASK = "mask"


@dataclass(frozen=True, eq=False)
class ToneGround:
    """What a tone is made of.

    `source` is the picture, a single texel for kinds that need none; `own` are the settings by region that differ,
    whole ones, and `weight` gives the weights (H, W) float32 of one of the `regions` at the picture's size. `entries`
    (n, 3) uint8 are those of its palette; `parts` are numbers 0..1 after their levels, (H, W) each, at most four.
    """

    source: Plane
    own: Mapping[str, Settings] = field(default_factory=dict)
    weight: Callable[[str], Floats] = field(default=lambda region: np.zeros((1, 1), np.float32))
    entries: Levels | None = None
    parts: tuple[Floats, ...] = ()
    regions: tuple[str, ...] = ()
    progress: Progress = silent
    cancel: CancelToken | None = None

    def encoded(self) -> Floats:
        """The colours of the source as they are looked at, (H, W, 3) float32, 0..1 encoded."""
        samples = rgb_of(self.source.samples)
        values = stored_values(samples)
        return linear_to_srgb(np.clip(values, 0, 1)) if self.source.encoding == Encoding.LINEAR else values

    def alpha(self) -> Floats | None:
        """The alpha of the source, (H, W, 1) float32, if it has one."""
        return stored_values(self.source.samples[..., -1:]) if self.source.channels in (2, 4) else None

    def levels(self) -> Levels:
        """The same, rounded to 8 bits."""
        values = rgb_of(self.source.samples)
        if values.dtype == np.uint8 and self.source.encoding != Encoding.LINEAR:
            return np.ascontiguousarray(values)
        return np.asarray(self.encoded() * 255 + 0.5, dtype=np.uint8)

    def like_source(self, values: Floats) -> Samples:
        """Values 0..1 (H, W, C) with as many bits as the source has: 8, or 16."""
        if self.source.samples.dtype == np.uint8:
            return np.asarray(np.clip(values, 0, 1) * 255 + 0.5, dtype=np.uint8)
        return np.asarray(np.clip(values, 0, 1) * 65535 + 0.5, dtype=np.uint16)


@dataclass(frozen=True)
class ToneKind:
    """A kind of tone: a plane that is made of a picture. `make` gives its samples (H, W, C), uint8 or uint16.

    `encoding` is what they mean, None for what the source's mean. One that `replaces` the base colour may stand in its
    place; one that `matches` needs a palette. With the setting `grows_by` at "double" it is twice as large as the
    picture; one that is made of nothing is as many texels a side as its setting `sized_by` says. One that is made
    `by_region` looks at all regions, whether they have settings of their own or not. One that is `grey` holds greys as
    they are looked at: what takes it for a colour decodes them. What is painted, or made of a mask, is made by tiles
    (see `results/mask_tones`) and has no `make`.
    """

    name: str
    label: str
    help: str
    place: int
    make: Callable[[ToneGround, Settings], Samples] | None
    values: tuple[SettingSpec, ...] = ()
    encoding: Encoding | None = Encoding.DATA
    replaces: bool = False
    matches: bool = False
    made_of: MadeOf = MadeOf.PICTURE
    grows_by: str = ""
    sized_by: str = ""
    by_region: bool = False
    grey: bool = False

    def settings(self, own: Settings) -> dict[str, float | str]:
        """The settings with defaults filled in, numbers held in their ranges."""
        return filled(self.values, own)


def number(settings: Settings, name: str) -> float:
    """A setting that is a number."""
    return float(settings[name])
