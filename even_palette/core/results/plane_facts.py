"""What the card of a plane shows: a small picture of its channel, and how many texels have which value."""

from dataclasses import dataclass

import numpy as np

from even_palette.core.arrays import Levels, Samples
from even_palette.core.kit.model import Focus
from even_palette.core.material.model import PlaneUse
from even_palette.core.raster.chain import Chain
from even_palette.core.raster.plane import channel_of
from even_palette.core.results.planes import plane_of
from even_palette.core.results.store import Store

BINS = 256
BAND_ROWS = 256
PICTURE_SIDE = 96


@dataclass(frozen=True, eq=False)
class PlaneFacts:
    """Texels by value, (256,) from 0 to 1, and the channel as grey, (96, 96) uint8."""

    counts: Samples
    picture: Levels


def plane_facts(at: Focus, store: Store, use: PlaneUse) -> PlaneFacts:
    """The facts of a channel, before its levels. Raises UserError, or NotReady on the thread that only looks."""
    plane = plane_of(at, store, use.plane)

    def count() -> PlaneFacts:
        counts = np.zeros(BINS, dtype=np.int64)
        for first in range(0, plane.height, BAND_ROWS):
            band = channel_of(plane.rows(first, first + BAND_ROWS).values(), use.channel)
            counts += np.bincount(np.clip(band * (BINS - 1) + 0.5, 0, BINS - 1).astype(int).ravel(), minlength=BINS)
        seen = channel_of(Chain(plane).made_small(PICTURE_SIDE), use.channel)
        return PlaneFacts(counts, np.asarray(np.clip(seen, 0, 1) * 255 + 0.5, dtype=np.uint8))

    return store.cache.get(("plane facts", plane.content_id, plane.encoding, use.channel), count)
