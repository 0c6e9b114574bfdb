"""Specks, holes and mist: small patches of a mask that a hand left, with the step that takes them away."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import partial
from typing import TypeVar

import numpy as np

from even_palette.core.arrays import Bools, Samples
from even_palette.core.checks._finding import Finding, Mend, Place, Severity, place_among, place_of
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken
from even_palette.core.kit import commands
from even_palette.core.kit.model import Focus
from even_palette.core.kit.sheet import Region, Step
from even_palette.core.raster.plane import Plane
from even_palette.core.raster.tiles import TiledPlane, spots
from even_palette.core.regions.edges import HALF, border_length, texels_between
from even_palette.core.regions.patches import patches_where
from even_palette.core.results.id_map import has_masks
from even_palette.core.results.masks import mask_of
from even_palette.core.results.sheets import Sheets
from even_palette.core.results.weights import MOST_MASK_SUM, weights_of

FAINT, TENTH, NEAR = 6554, 6554, 3
LEAST_SPECK, SPECK, MOST_SPECK = 16, 64, 1024
"""Patches of fewer texels are specks: on a small sheet, on one of 1024² (by its area), and on the largest."""
HOLE_SHARE, MOST_HOLE = 0.004, 16384
"""Holes are smaller than this share of the sheet, and than so many texels."""
LEAST_MIST = 16
T = TypeVar("T")


def check(at: Focus, sheets: Sheets, cancel: CancelToken | None) -> Iterator[Finding]:
    """Patches of a mask that are small beside the region, holes in it that no region has, and mist far from it."""
    try:
        if not at.sheet.regions or not has_masks(at, sheets):
            return
        total = weights_of(at, sheets, cancel=cancel).mask_sum
    except UserError:
        return
    texels = total.height * total.width
    speck = int(min(MOST_SPECK, max(LEAST_SPECK, SPECK * texels / 1024**2)))
    hole = int(min(MOST_HOLE, texels * HOLE_SHARE))
    for region in at.sheet.regions:
        mask = mask_of(at, sheets, region.key)
        key = mask.content_id

        def lasting(kind: type[T], name: str, make: Callable[[], T], key: str = key) -> T:
            """What an edit does not change is not looked at again, nor when the kit is opened another time."""
            return sheets.cache.get_lasting(kind, (name, key, speck, hole), make)

        yield from _specks(region, lasting(_Stray, "specks", partial(_find_specks, mask, speck, cancel)))
        yield from _mist(region, lasting(_Stray, "mist", partial(_find_mist, mask, cancel)))
        yield from _holes(region, lasting(_Gaps, "small gaps", partial(_find_gaps, mask, hole, cancel)), total)


@dataclass(frozen=True, eq=False)
class _Stray:
    """Small things of a mask: how many, texels of the largest, and its place (4,) in uv; (0,) without any."""

    count: int
    largest: int
    where: Samples

    @property
    def place(self) -> Place | None:
        return (*map(float, self.where),) if len(self.where) else None  # type: ignore[return-value]


NONE = _Stray(0, 0, np.zeros(0))


@dataclass(frozen=True, eq=False)
class _Gaps:
    """Small gaps within a mask: the places (n,) of their texels in the flat plane, and the gap (n,) of each."""

    places: Samples
    gaps: Samples


def _solid(samples: Samples) -> Bools:
    return samples >= HALF


def _find_gaps(mask: Plane, limit: int, cancel: CancelToken | None) -> _Gaps:
    patches = patches_where(mask, lambda samples: ~_solid(samples), False, cancel)
    return _Gaps(*patches.texels((patches.sizes <= limit) & ~patches.at_rim))


def _find_specks(mask: Plane, limit: int, cancel: CancelToken | None) -> _Stray:
    patches = patches_where(mask, _solid, True, cancel)
    small = patches.sizes < limit
    if not small.any() or patches.sizes.max() < 4 * limit:
        return NONE  # a region that is all small is meant so
    return _Stray(int(small.sum()), int(patches.sizes[small].max()), np.array(place_among(patches, small)))


def _specks(region: Region, found: _Stray) -> Iterator[Finding]:
    if not found.count:
        return
    step = Step("specks", {"texels": float(found.largest + 1)})
    yield Finding(
        "Masks", Severity.WARNING,
        f"{region.name} has {_count(found.count, 'speck')} of up to {found.largest} texels.",
        region.key, "weight", place=found.place,
        mend=Mend("Remove specks", commands.add_step(region.key, step)),
    )  # fmt: skip


def _holes(region: Region, small: _Gaps, total: Plane) -> Iterator[Finding]:
    """Holes that lie wholly in the region; what another region has there is no hole."""
    if not len(small.places):
        return
    rows, columns = np.divmod(small.places, total.width)
    _, gap = np.unique(small.gaps, return_inverse=True)
    sizes = np.bincount(gap)
    free = np.bincount(gap[total.fetch(rows, columns)[:, 0] < 0.5 / MOST_MASK_SUM], minlength=len(sizes))
    holes = free > 0.5 * sizes
    if not holes.any():
        return
    largest = int(np.where(holes, sizes, 0).argmax())
    own = gap == largest
    place = (
        float(columns[own].min() / total.width), float(rows[own].min() / total.height),
        float((columns[own].max() + 1) / total.width), float((rows[own].max() + 1) / total.height),
    )  # fmt: skip
    step = Step("holes", {"texels": float(sizes[largest] + 1)})
    yield Finding(
        "Masks", Severity.WARNING,
        f"{region.name} has {_count(int(holes.sum()), 'hole')} of up to {sizes[largest]} texels.",
        region.key, "weight", place=place,
        mend=Mend("Fill holes", commands.add_step(region.key, step)),
    )  # fmt: skip


def _find_mist(mask: TiledPlane, cancel: CancelToken | None) -> _Stray:
    """Faint texels farther from what is solid than the tail of a soft edge reaches.

    Of a Gaussian edge the part between a tenth and nine tenths is 2.56 standard deviations wide, and it falls below
    1/255 at 2.66 of them.
    """
    if not texels_between(mask, 257, FAINT, cancel):
        return NONE
    border = border_length(mask, cancel)
    if not border:
        return NONE
    width = texels_between(mask, TENTH, 65535 - TENTH, cancel) / border
    faint = _far(mask, NEAR + 1.25 * width, cancel)
    count = int(faint.sum())
    return _Stray(count, 0, np.array(place_of(faint, cancel))) if count >= LEAST_MIST else NONE


def _mist(region: Region, found: _Stray) -> Iterator[Finding]:
    if not found.count:
        return
    yield Finding(
        "Masks", Severity.WARNING,
        f"{region.name} has mist on {found.count} texels: a faint claim far from the region.",
        region.key, "weight", place=found.place,
        mend=Mend("Cut the mist off", commands.add_step(region.key, Step("levels", {"low": 10.0, "high": 100.0}))),
    )  # fmt: skip


def _far(mask: TiledPlane, reach: float, cancel: CancelToken | None) -> Bools:
    """The faint texels of a mask (H, W) farther than `reach` texels from what is solid; by tiles. Raises Cancelled."""
    from scipy.ndimage import distance_transform_edt

    around, found = int(reach) + 2, np.zeros((mask.height, mask.width), dtype=bool)
    for spot in spots(mask.height, mask.width):
        if cancel:
            cancel.check()
        top, left = max(0, spot.top - around), max(0, spot.left - around)
        bottom, right = min(spot.bottom + around, mask.height), min(spot.right + around, mask.width)
        near = mask.grid.cut(top, left, bottom, right)[..., 0]
        own = (slice(spot.top - top, spot.bottom - top), slice(spot.left - left, spot.right - left))
        faint = (near[own] > 257) & (near[own] < FAINT)
        if not faint.any():
            continue
        solid = _solid(near)
        far = distance_transform_edt(~solid)[own] > reach if solid.any() else True
        found[spot.top : spot.bottom, spot.left : spot.right] = faint & far
    return found


def _count(number: int, what: str) -> str:
    return f"{number} {what}{'s' if number > 1 else ''}"
