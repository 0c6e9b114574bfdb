"""Relief: the normals of a surface whose height a picture tells: what is painted, a mask, noise, the paint itself."""

import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.colour.luma import BT709
from even_palette.core.settings import Settings, SettingSpec
from even_palette.core.tones.kinds._declare import ToneGround, ToneKind, number

ROWS = 512


def make(ground: ToneGround, settings: Settings) -> Samples:
    """Normals of length 1 with green up as maps store them, (H, W, 3) uint16.

    Slopes are central differences of the height in texels: white is so much higher than black.
    """
    heights = _grey(ground)
    around = np.pad(heights, 1, mode="wrap" if settings["edges"] == "meet" else "edge")
    tall = np.float32(number(settings, "height") / 2)
    found = np.empty((*heights.shape, 3), np.uint16)
    for first in range(0, len(heights), ROWS):
        if ground.cancel:
            ground.cancel.check()
        ground.progress(first / len(heights), "Slopes")
        last = min(first + ROWS, len(heights))
        across = (around[first + 1 : last + 1, 2:] - around[first + 1 : last + 1, :-2]) * tall
        down = (around[first + 2 : last + 2, 1:-1] - around[first:last, 1:-1]) * tall
        normal = np.stack([-across, down, np.ones_like(across)], axis=-1)
        normal /= np.linalg.norm(normal, axis=-1, keepdims=True)
        found[first:last] = (normal * 0.5 + 0.5) * 65535 + 0.5
    return found


def _grey(ground: ToneGround) -> Floats:
    """The heights (H, W): the first channel, of colours their luma as they are looked at."""
    if ground.source.channels < 3:
        return float32(ground.source.values()[..., 0])
    return float32(ground.encoded() @ np.asarray(BT709, np.float32))


TONE = ToneKind(
    "relief",
    "Relief",
    "Normals of a surface that is as high as a picture is white; the coat Relief lays them over those that are there.",
    10,
    make,
    (
        SettingSpec("height", "Height", 4.0, "How much higher white is than black; below 0 it is sunk.", -64, 64,
                  unit="tx"),
        SettingSpec("edges", "Edges", "held", "Whether what tiles goes on over its edges.",
                  choices=(("held", "End"), ("meet", "Meet: it tiles"))),
    ),
)  # fmt: skip
