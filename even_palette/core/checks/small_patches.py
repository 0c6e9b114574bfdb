"""Specks, holes and mist: small patches of a mask that a hand left, with the step that takes them away."""

from collections.abc import Iterator

import numpy as np

from even_palette.core.arrays import Bools, Samples
from even_palette.core.checks._finding import Finding, Mend, Severity, place_of
from even_palette.core.errors import UserError
from even_palette.core.jobs import CancelToken
from even_palette.core.kit import commands
from even_palette.core.kit.model import Focus, Region, Step
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
        mask = sheets.mask(at, region.key).samples[..., 0]
        solid = mask >= HALF
        if not solid.any():
            continue
        yield from _specks(region, solid, speck)
        yield from _holes(region, solid, unclaimed, int(min(MOST_HOLE, texels * HOLE_SHARE)))
        yield from _mist(region, mask, solid)


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


def _holes(region: Region, solid: Bools, unclaimed: Bools, limit: int) -> Iterator[Finding]:
    """Holes that lie wholly in the region; what another region has there is no hole."""
    sizes, patches = _patches(~solid, SIDES)
    rim = np.unique(np.concatenate([patches[0], patches[-1], patches[:, 0], patches[:, -1]]))
    small = (sizes > 0) & (sizes <= limit)
    small[rim] = False
    free = np.bincount(patches[unclaimed], minlength=len(sizes))
    small &= free > 0.5 * sizes
    if not small.any():
        return
    largest = int(sizes[small].max())
    step = Step("holes", {"texels": float(largest + 1)})
    yield Finding(
        "Masks", Severity.WARNING,
        f"{region.name} has {_count(int(small.sum()), 'hole')} of up to {largest} texels.",
        region.key, "weight", place=place_of(small[patches]),
        mend=Mend("Fill holes", commands.add_step(region.key, step)),
    )  # fmt: skip


def _mist(region: Region, mask: Samples, solid: Bools) -> Iterator[Finding]:
    """Faint texels farther from what is solid than the tail of a soft edge reaches.

    Of a Gaussian edge the part between a tenth and nine tenths is 2.56 standard deviations wide, and it falls below
    1/255 at 2.66 of them.
    """
    from scipy.ndimage import distance_transform_edt

    border = int((solid[1:] != solid[:-1]).sum()) + int((solid[:, 1:] != solid[:, :-1]).sum())
    width = float(((mask > TENTH) & (mask < 65535 - TENTH)).sum()) / max(border, 1)
    faint = (mask > 257) & (mask < FAINT)
    if not faint.any():
        return
    faint &= distance_transform_edt(~solid) > NEAR + 1.25 * width
    count = int(faint.sum())
    if count < LEAST_MIST:
        return
    yield Finding(
        "Masks", Severity.WARNING,
        f"{region.name} has mist on {count} texels: a faint claim far from the region.",
        region.key, "weight", place=place_of(faint),
        mend=Mend("Cut the mist off", commands.add_step(region.key, Step("levels", {"low": 10.0, "high": 100.0}))),
    )  # fmt: skip


def _patches(chosen: Bools, touching: Bools) -> tuple[Samples, Samples]:
    """How many texels each patch has, 0 for what is not chosen, and the patch of each texel."""
    from scipy.ndimage import label

    patches, count = label(chosen, touching)
    sizes = np.bincount(patches.ravel(), minlength=count + 1)
    sizes[0] = 0
    return sizes, patches


def _count(number: int, what: str) -> str:
    return f"{number} {what}{'s' if number > 1 else ''}"
