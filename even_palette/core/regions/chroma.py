"""Chroma that lossy files keep at half the size, and what that did to it undone.

Mean of two by two texels on the way in, a triangle filter on the way out, as libjpeg does it (ITU-T T.871 leaves the
filters open). Where an estimate of the picture before is there, what the same does to it tells how much is missing
(van Cittert 1931).
"""

from collections.abc import Callable

import numpy as np

from even_palette.core.arrays import Floats, Levels, float32
from even_palette.core.jobs import CancelToken

TO_YCBCR = np.array([[0.299, 0.587, 0.114], [-0.168736, -0.331264, 0.5], [0.5, -0.418688, -0.081312]])
"""Y', Cb, Cr of R'G'B' (ITU-T T.871, JFIF): lossy files keep the first better than the others."""
TO_CHROMA = float32(TO_YCBCR[1:])
FROM_CHROMA = float32([[0, 1.402], [-0.344136, -0.714136], [1.772, 0]])
BAND, AROUND = 256, 4


def halved_and_back(chroma: Floats) -> Floats:
    """Chroma (h, w, 2) as it comes back from half the size."""
    height, width, channels = chroma.shape
    even = np.pad(chroma, ((0, height % 2), (0, width % 2), (0, 0)), mode="edge")
    half = even.reshape(even.shape[0] // 2, 2, even.shape[1] // 2, 2, channels).mean(axis=(1, 3))
    return _doubled(_doubled(half, 0)[:height], 1)[:, :width]


def _doubled(half: Floats, axis: int) -> Floats:
    lines = np.moveaxis(half, axis, 0)
    beside = np.concatenate([lines[:1], lines, lines[-1:]])
    double = np.empty((2 * len(lines), *lines.shape[1:]), dtype=np.float32)
    double[0::2] = np.float32(0.75) * lines + np.float32(0.25) * beside[:-2]
    double[1::2] = np.float32(0.75) * lines + np.float32(0.25) * beside[2:]
    return np.moveaxis(double, 0, axis)


def sharpened(rgb: Levels, before: Callable[[int, int], Floats], cancel: CancelToken | None = None) -> Levels:
    """rgb (H, W, 3) with the chroma that halving took from it; luma stays.

    `before` gives some rows of an estimate of the picture before, (last - first, W, 3) levels. Raises Cancelled.
    """
    height, made = len(rgb), np.empty_like(rgb)
    for top in range(0, height, BAND):
        if cancel:
            cancel.check()
        first, last = max(0, top - AROUND), min(height, top + BAND + AROUND)
        chroma = float32(before(first, last) @ TO_CHROMA.T)
        own = slice(top - first, min(height, top + BAND) - first)
        missing = (chroma - halved_and_back(chroma))[own] @ FROM_CHROMA.T
        made[top : top + BAND] = np.clip(rgb[top : top + BAND] + missing + np.float32(0.5), 0, 255)
    return made
