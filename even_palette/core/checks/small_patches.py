"""Specks, holes and mist: small patches of a mask that a hand left, with the step that takes them away."""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import partial

import numpy as np

from even_palette.core.arrays import Bools, Samples
from even_palette.core.checks._finding import Finding, Mend, Severity, place_of
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken
from even_palette.core.kit import commands
from even_palette.core.kit.model import Focus, Region, Step
from even_palette.core.raster.plane import Plane
from even_palette.core.raster.tiles import spots
from even_palette.core.results.sheets import Sheets

HALF, FAINT, TENTH, NEAR = 32768, 6554, 6554, 3
LEAST_SPECK, SPECK, MOST_SPECK = 16, 64, 1024
"""Patches of fewer texels are specks: on a small sheet, on one of 1024² (by its area), and on the largest."""
HOLE_SHARE, MOST_HOLE = 0.004, 16384
"""Holes are smaller than this share of the sheet, and than so many texels."""
LEAST_MIST = 16
CORNERS, SIDES = np.ones((3, 3), dtype=bool), np.array([[0, 1, 0], [1, 1, 1], [0, 1, 0]], dtype=bool)


def check(at: Focus, sheets: Sheets, cancel: CancelToken | None) -> Iterator[Finding]:
    """Patches of a mask that are small beside the region, holes in it that no region has, and mist far from it."""
    try:
        if not at.sheet.regions or not sheets.has_masks(at):
            return
        weights = sheets.weights(at, cancel=cancel)
        unclaimed = weights.mask_sum.samples[..., 0] < HALF // 4
    except UserError:
        return
    texels = unclaimed.size
    speck = int(min(MOST_SPECK, max(LEAST_SPECK, SPECK * texels / 1024**2)))
    for region in at.sheet.regions:
        if cancel:
            cancel.check()
        mask = sheets.mask(at, region.key)
        name, told = (mask.content_id, speck), (region.key, region.name)
        # What an edit does not change is not looked at again: labels of a large sheet take long.
        yield from sheets.cache.get(("specks", name, told), partial(_of_mask, region, mask, speck, cancel))
        hole = int(min(MOST_HOLE, texels * HOLE_SHARE))
        small = sheets.cache.get(("small gaps", mask.content_id, hole), partial(_small_gaps, mask, hole))
        yield from _holes(region, small, unclaimed)


def _of_mask(region: Region, mask: Plane, speck: int, cancel: CancelToken | None) -> list[Finding]:
    samples = mask.samples[..., 0]
    solid = samples >= HALF
    if not solid.any():
        return []
    return [*_specks(region, solid, speck), *_mist(region, samples, solid, cancel)]


@dataclass(frozen=True)
class _Gaps:
    """Small gaps within a mask: the places (n,) of their texels in the flat plane, and the gap (n,) of each."""

    places: Samples
    gaps: Samples


def _small_gaps(mask: Plane, limit: int) -> _Gaps:
    solid = mask.samples[..., 0] >= HALF
    if not solid.any():
        return _Gaps(np.zeros(0, dtype=np.int64), np.zeros(0, dtype=np.int64))
    sizes, patches = _patches(~solid, SIDES)
    rim = np.unique(np.concatenate([patches[0], patches[-1], patches[:, 0], patches[:, -1]]))
    small = (sizes > 0) & (sizes <= limit)
    small[rim] = False
    places = np.flatnonzero(small[patches].ravel())
    return _Gaps(places, patches.ravel()[places])


def _specks(region: Region, solid: Bools, limit: int) -> Iterator[Finding]:
    sizes, patches = _patches(solid, CORNERS)
    small = (sizes > 0) & (sizes < limit)
    if not small.any() or sizes.max() < 4 * limit:
        return  # a region that is all small is meant so
    largest = int(sizes[small].max())
    step = Step("specks", {"texels": float(largest + 1)})
    yield Finding(
        "Masks", Severity.WARNING,
        f"{region.name} has {_count(int(small.sum()), 'speck')} of up to {largest} texels.",
        region.key, "weight", place=place_of(small[patches]),
        mend=Mend("Remove specks", commands.add_step(region.key, step)),
    )  # fmt: skip


def _holes(region: Region, small: _Gaps, unclaimed: Bools) -> Iterator[Finding]:
    """Holes that lie wholly in the region; what another region has there is no hole."""
    if not len(small.places):
        return
    sizes = np.bincount(small.gaps)
    free = np.bincount(small.gaps[unclaimed.ravel()[small.places]], minlength=len(sizes))
    holes = free > 0.5 * sizes
    if not holes.any():
        return
    largest = int(sizes[holes].max())
    shown = np.zeros(unclaimed.size, dtype=bool)
    shown[small.places[holes[small.gaps]]] = True
    step = Step("holes", {"texels": float(largest + 1)})
    yield Finding(
        "Masks", Severity.WARNING,
        f"{region.name} has {_count(int(holes.sum()), 'hole')} of up to {largest} texels.",
        region.key, "weight", place=place_of(shown.reshape(unclaimed.shape)),
        mend=Mend("Fill holes", commands.add_step(region.key, step)),
    )  # fmt: skip


def _mist(region: Region, mask: Samples, solid: Bools, cancel: CancelToken | None) -> Iterator[Finding]:
    """Faint texels farther from what is solid than the tail of a soft edge reaches.

    Of a Gaussian edge the part between a tenth and nine tenths is 2.56 standard deviations wide, and it falls below
    1/255 at 2.66 of them.
    """
    border = int((solid[1:] != solid[:-1]).sum()) + int((solid[:, 1:] != solid[:, :-1]).sum())
    width = float(((mask > TENTH) & (mask < 65535 - TENTH)).sum()) / max(border, 1)
    faint = (mask > 257) & (mask < FAINT)
    if not faint.any():
        return
    faint = _far_from(solid, faint, NEAR + 1.25 * width, cancel)
    count = int(faint.sum())
    if count < LEAST_MIST:
        return
    yield Finding(
        "Masks", Severity.WARNING,
        f"{region.name} has mist on {count} texels: a faint claim far from the region.",
        region.key, "weight", place=place_of(faint),
        mend=Mend("Cut the mist off", commands.add_step(region.key, Step("levels", {"low": 10.0, "high": 100.0}))),
    )  # fmt: skip


def _far_from(solid: Bools, chosen: Bools, reach: float, cancel: CancelToken | None) -> Bools:
    """Which of the chosen texels are farther than `reach` texels from what is solid; by tiles. Raises Cancelled."""
    from scipy.ndimage import distance_transform_edt

    around, found = int(reach) + 2, np.zeros_like(chosen)
    for spot in spots(*solid.shape):
        inner = chosen[spot.top : spot.bottom, spot.left : spot.right]
        if not inner.any():
            continue
        if cancel:
            cancel.check()
        top, left = max(0, spot.top - around), max(0, spot.left - around)
        near = solid[top : spot.bottom + around, left : spot.right + around]
        far = np.ones(near.shape, dtype=bool)
        if near.any():
            far = distance_transform_edt(~near) > reach
        height, width = inner.shape
        own = far[spot.top - top : spot.top - top + height, spot.left - left : spot.left - left + width]
        found[spot.top : spot.bottom, spot.left : spot.right] = inner & own
    return found


def _patches(chosen: Bools, touching: Bools) -> tuple[Samples, Samples]:
    """How many texels each patch has, 0 for what is not chosen, and the patch of each texel."""
    from scipy.ndimage import label

    patches, count = label(chosen, touching)
    sizes = np.bincount(patches.ravel(), minlength=count + 1)
    sizes[0] = 0
    return sizes, patches


def _count(number: int, what: str) -> str:
    return f"{number} {what}{'s' if number > 1 else ''}"
