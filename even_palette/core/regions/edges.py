"""Edges of masks: how long the border is and how many texels are had in part, by bands of rows."""

from collections.abc import Iterator

import numpy as np

from even_palette.core.arrays import Samples
from even_palette.core.jobs import CancelToken
from even_palette.core.raster.plane import Plane
from even_palette.core.regions.patches import BAND

HALF = 32768


def border_length(mask: Plane, cancel: CancelToken | None = None) -> int:
    """Sides between a texel that is at least half in a mask (uint16) and one that is not. Raises Cancelled."""
    found = 0
    for band in _bands(mask, 1, cancel):
        solid = band >= HALF
        own = solid[:BAND]
        found += int((solid[1:] != solid[:-1]).sum()) + int((own[:, 1:] != own[:, :-1]).sum())
    return found


def texels_between(mask: Plane, low: int, high: int, cancel: CancelToken | None = None) -> int:
    """Texels of a mask (uint16) above one level and below another. Raises Cancelled."""
    return sum(int(np.count_nonzero((band > low) & (band < high))) for band in _bands(mask, 0, cancel))


def _bands(mask: Plane, more: int, cancel: CancelToken | None) -> Iterator[Samples]:
    for top in range(0, mask.height, BAND):
        if cancel:
            cancel.check()
        yield mask.rows(top, min(top + BAND + more, mask.height)).samples[..., 0]
