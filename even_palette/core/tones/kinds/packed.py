"""Packed: up to four index or neutral maps in the channels of one plane."""

import numpy as np

from even_palette.core.arrays import Samples
from even_palette.core.settings import Settings
from even_palette.core.tones.kinds._declare import MadeOf, ToneGround, ToneKind


def make(ground: ToneGround, settings: Settings) -> Samples:
    """The parts in red, green, blue and alpha, (H, W, 2 to 4) uint8, as their levels give them."""
    parts = [np.asarray(part * 255 + np.float32(0.5), dtype=np.uint8) for part in ground.parts]
    if len(parts) == 1:
        parts = parts * 2
    return np.stack(parts, axis=-1)


TONE = ToneKind(
    "packed",
    "Packed planes",
    "Up to four index or neutral maps in the channels of one plane: one texture, one look-up.",
    6,
    make,
    made_of=MadeOf.PLANES,
)
