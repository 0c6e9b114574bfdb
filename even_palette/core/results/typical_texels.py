"""Typical texels of each region: what coats are judged by where a whole sheet would take too long."""

import hashlib
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from even_palette.core.arrays import Floats, Levels, Samples, float32
from even_palette.core.colour.luma import luminance
from even_palette.core.kit.coat_owners import Overcoats, SheetOwner
from even_palette.core.kit.model import Focus
from even_palette.core.raster.plane import Plane, rgb_of
from even_palette.core.raster.sampling import texel_centres
from even_palette.core.results.base_colour import base_colour_of
from even_palette.core.results.store import Store
from even_palette.core.results.weights import weights_of

TONES, SPOTS_A_TONE = 24, 6
THIN_SIDE = 512


def typical_texels(at: Focus, store: Store) -> Floats:
    """uv of typical texels of each region, and of the whole sheet as the last, from dark to light.

    (R + 1, 24 * 6, 2); those of a region without texels are the sheet's.
    """
    weights, base = weights_of(at, store), base_colour_of(at, store)

    def compute() -> Floats:
        tones = store.cache.get(("tones", base.content_id), lambda: _by_tone(base))
        height, width = weights.mask_sum.height, weights.mask_sum.width
        levels = weights.picked((tones.down * height).astype(int), (tones.across * width).astype(int))

        def of(level: Levels) -> Floats:
            key = ("typical", base.content_id, hashlib.blake2b(level.tobytes(), digest_size=16).digest())
            return store.cache.get(key, lambda: _spread(tones.places[level.ravel()[tones.order] > 127], tones.places))

        return np.stack([*map(of, levels), _spread(tones.places, tones.places)])

    return store.cache.get(("spots", base.content_id, weights.content_id), compute)


def owner_row(at: Focus, owner: SheetOwner) -> int:
    """The place of an owner among the typical texels of its sheet."""
    keys = [region.key for region in at.sheet.regions]
    return len(keys) if isinstance(owner, Overcoats) else keys.index(owner)


@dataclass(frozen=True)
class _Tones:
    """Texels in even steps over a sheet: v of their rows, u of their columns; numbers and uv from dark to light."""

    down: Floats
    across: Floats
    order: Samples
    places: Floats


def _by_tone(base: Plane) -> _Tones:
    step = max(1, -(-max(base.height, base.width) // THIN_SIDE))
    colours = float32(rgb_of(Plane(base.samples[::step, ::step], base.encoding).linear()))
    uv = texel_centres(base.height, base.width)[::step, ::step]
    order = np.argsort(luminance(colours), axis=None, kind="stable")
    return _Tones(uv[:, 0, 1].copy(), uv[0, :, 0].copy(), order, uv.reshape(-1, 2)[order])


def _spread(places: Floats, otherwise: Floats) -> Floats:
    """Of places (n, 2) by rising tone, an equal number from each of 24 parts; of others if there are none."""
    places = places if len(places) else otherwise
    chosen = [np.linspace(first, last, SPOTS_A_TONE + 2)[1:-1].astype(int) for first, last in _parts(len(places))]
    return float32(places[np.minimum(np.concatenate(chosen), len(places) - 1)])


def _parts(count: int) -> Iterator[tuple[int, int]]:
    yield from pairwise(np.linspace(0, count, TONES + 1).astype(int).tolist())
