"""A colour for each of many numbers, so that they can be told apart and found again."""

import numpy as np

from even_palette.core.arrays import Samples


def number_colours(count: int) -> Samples:
    """A colour for each of `count` < 2^24 numbers, (count, 3) uint8, no two the same and none black.

    Multiplying by an odd number permutes the 24-bit numbers.
    """
    codes = ((np.arange(1, count + 1, dtype=np.uint64) * np.uint64(0x9E3779B1)) & np.uint64(0xFFFFFF)).astype(np.uint32)
    return np.stack([codes >> 16, codes >> 8 & 255, codes & 255], axis=-1).astype(np.uint8)
