"""Noise: clouds, cells, cracks or patches that tile without an edge: hue wander, patterns, dirt, roughness."""

from concurrent.futures import ThreadPoolExecutor
from os import cpu_count

import numpy as np

from even_palette.core.arrays import Floats, Samples
from even_palette.core.noise import SETTINGS, noise_at, noise_of
from even_palette.core.settings import Settings, SettingSpec
from even_palette.core.tones.kinds._declare import MadeOf, ToneGround, ToneKind, number

BAND_ROWS = 64


def make(ground: ToneGround, settings: Settings) -> Samples:
    """Noise, (side, side, 1) uint16; a whole number of cells across and down, so that its edges meet."""
    side = int(number(settings, "side"))
    across, down = cells_of(settings)
    noise = noise_of(settings, flat=True, periods=(across, down, 0))
    columns = (np.arange(side) + 0.5) / side * across

    def band(first: int) -> Floats:
        rows = (np.arange(first, min(first + BAND_ROWS, side)) + 0.5) / side * down
        y, x = np.meshgrid(rows, columns, indexing="ij")
        places = np.stack([x.ravel(), y.ravel(), np.full(x.size, 0.5)], axis=-1)
        return noise_at(places, noise, ground.cancel).reshape(x.shape)

    bands = range(0, side, BAND_ROWS)
    found = []
    with ThreadPoolExecutor(cpu_count() or 1) as pool:
        for done, values in enumerate(pool.map(band, bands), 1):
            found.append(values)
            ground.progress(done / len(bands), "Noise")
    return np.asarray(np.concatenate(found)[..., None] * 65535 + 0.5, dtype=np.uint16)


def cells_of(settings: Settings) -> tuple[int, int]:
    """How many cells of the largest size lie across and down, at least one each."""
    size, stretch = number(settings, "size"), number(settings, "stretch")
    across = number(settings, "side") / (size * (stretch if settings["along"] == "across" else 1))
    down = number(settings, "side") / (size * (stretch if settings["along"] == "down" else 1))
    return max(1, round(across)), max(1, round(down))


TONE = ToneKind(
    "noise",
    "Noise",
    "Clouds, cells, cracks or patches that tile without an edge; a small one may lie over a sheet many times.",
    7,
    make,
    (
        SETTINGS[0],
        SettingSpec("size", "Size", 128.0, "How large the largest shapes are.", 1, 1024, unit="tx"),
        *SETTINGS[1:4],
        SettingSpec("stretch", "Stretch", 1.0, "How many times as long the shapes are along one way.", 1, 64),
        SettingSpec("along", "Stretched", "across", "The way along which they are stretched.",
                  choices=(("across", "Across the sheet"), ("down", "Down the sheet"))),
        *SETTINGS[4:],
        SettingSpec("side", "Texels", "512", "How many texels it has a side; it tiles.",
                  choices=tuple((str(side), f"{side} × {side}") for side in (128, 256, 512, 1024, 2048, 4096))),
    ),
    made_of=MadeOf.NOTHING,
    sized_by="side",
)  # fmt: skip
