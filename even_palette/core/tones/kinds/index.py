"""Index: which entry of a palette each texel shows."""

from even_palette.core.arrays import Levels, Samples
from even_palette.core.settings import Settings, SettingSpec
from even_palette.core.tones.index_map import Dither, Stored, index_map, read_indices, stored_levels
from even_palette.core.tones.kinds._declare import ToneGround, ToneKind

MATCHED = "matched"


def numbers_of(ground: ToneGround, settings: Settings) -> Levels:
    """The number of the entry of each texel, (H, W) uint8."""
    assert ground.entries is not None
    way = str(settings["way"])
    if way != MATCHED:
        found = ground.source.levels8()[..., 0]
        return read_indices(found, len(ground.entries), Stored(way) if way in list(Stored) else None)[0]
    return index_map(ground.levels(), ground.entries, Dither(str(settings["dither"])), ground.cancel)


def make(ground: ToneGround, settings: Settings) -> Samples:
    """The numbers as they are stored, spread over 0..255, (H, W, 1) uint8."""
    assert ground.entries is not None
    return stored_levels(len(ground.entries))[numbers_of(ground, settings)][..., None]


TONE = ToneKind(
    "index",
    "Index map",
    "Which entry of a palette each texel shows; the coat “swap” looks its colours up.",
    4,
    make,
    (
        SettingSpec("way", "Texels", MATCHED, "Whether the picture shows colours, or holds numbers already.",
                  choices=((MATCHED, "Nearest colours"), ("found", "Numbers, as found"),
                           (Stored.ONE_TO_ONE, "Numbers, one to one"), (Stored.SPREAD, "Numbers, spread"),
                           (Stored.LEVELS, "Numbers, by rank of grey"))),
        SettingSpec("dither", "Dither", Dither.NONE, "How colours between two entries are shown.",
                  choices=((Dither.NONE, "None"), (Dither.ORDERED, "Ordered"), (Dither.DIFFUSED, "Diffused"))),
    ),
    matches=True,
)  # fmt: skip
