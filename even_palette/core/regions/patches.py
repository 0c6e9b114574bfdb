"""Patches of a mask: texels that hang together, found by the runs of texels along its rows.

Runs take little memory however large the mask is, and bands of rows are looked at one by one, so that it can be
cancelled. What hangs together is told by scipy.sparse.csgraph of the runs that touch.
"""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from even_palette.core.arrays import Bools, Samples
from even_palette.core.jobs import CancelToken
from even_palette.core.raster.plane import Plane

BAND = 256
"""Rows that are looked at in one go."""


@dataclass(frozen=True, eq=False)
class Patches:
    """Runs (n,) of chosen texels in a plane of this height and width, in rising order, and the patch of each.

    `begins` and `ends` (without) are places in the flat plane, int64; `patch` is 0 up to `count`.
    """

    height: int
    width: int
    begins: Samples
    ends: Samples
    patch: Samples
    count: int

    @cached_property
    def sizes(self) -> Samples:
        """Texels of each patch, (count,) int64."""
        lengths = self.ends - self.begins
        return np.bincount(self.patch, weights=lengths, minlength=self.count).astype(np.int64)

    @cached_property
    def at_rim(self) -> Bools:
        """Whether each patch touches the rim of the plane, (count,)."""
        columns, last = self.begins % self.width, (self.ends - 1) % self.width
        rows = self.begins // self.width
        touches = (columns == 0) | (last == self.width - 1) | (rows == 0) | (rows == self.height - 1)
        found = np.zeros(self.count, dtype=bool)
        found[self.patch[touches]] = True
        return found

    def texels(self, which: Bools) -> tuple[Samples, Samples]:
        """Places (m,) in the flat plane of the texels of chosen patches, `which` (count,), and the patch of each."""
        chosen = which[self.patch]
        begins, lengths = self.begins[chosen], (self.ends - self.begins)[chosen]
        starts = np.cumsum(lengths) - lengths
        places = np.repeat(begins - starts, lengths) + np.arange(int(lengths.sum()))
        return places, np.repeat(self.patch[chosen], lengths)

    def at(self, places: Samples) -> Samples:
        """The patch at each place (m,) in the flat plane; -1 where no texel is chosen."""
        if not len(self.begins):
            return np.full(len(places), -1)
        run = np.searchsorted(self.begins, places, side="right") - 1
        return np.where((run >= 0) & (places < self.ends[run]), self.patch[run], -1)

    def bounds(self, number: int) -> tuple[int, int, int, int]:
        """Left, top, right and bottom (both without) of a patch, in texels."""
        own = self.patch == number
        begins, ends = self.begins[own], self.ends[own]
        rows, lefts, rights = begins // self.width, begins % self.width, (ends - 1) % self.width + 1
        return int(lefts.min()), int(rows.min()), int(rights.max()), int(rows.max()) + 1


def patches_of(
    height: int, width: int, rows: Callable[[int, int], Bools], corners: bool, cancel: CancelToken | None = None
) -> Patches:
    """The patches of what `rows` chooses, (last - first, width) of some rows at a time; over corners or sides alone.

    Raises Cancelled.
    """
    stride = width + 1
    starts, stops = [np.zeros(0, dtype=np.int64)], [np.zeros(0, dtype=np.int64)]
    for top in range(0, height, BAND):
        if cancel:
            cancel.check()
        chosen = rows(top, min(top + BAND, height))
        inner = chosen[:, 1:] != chosen[:, :-1]
        changes = np.flatnonzero(np.concatenate([chosen[:, :1], inner, chosen[:, -1:]], axis=1)) + top * stride
        starts.append(changes[0::2])
        stops.append(changes[1::2])
    begins, ends = np.concatenate(starts), np.concatenate(stops)
    patch, count = _joined(begins, ends, stride, int(corners), cancel)
    row = begins // stride
    return Patches(height, width, begins - row, ends - row, patch, count)


def _joined(begins: Samples, ends: Samples, stride: int, reach: int, cancel: CancelToken | None) -> tuple[Samples, int]:
    """The patch of each run, and how many there are; places count a texel more a row than the plane has."""
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components

    if not len(begins):
        return np.zeros(0, dtype=np.int32), 0
    first = np.searchsorted(ends, begins + (stride - reach), side="right")
    last = np.searchsorted(begins, ends + (stride + reach), side="left")
    if cancel:
        cancel.check()
    touched = np.maximum(last - first, 0)
    upper = np.repeat(np.arange(len(begins)), touched)
    lower = np.arange(len(upper)) + np.repeat(first - (np.cumsum(touched) - touched), touched)
    touching = coo_array((np.ones(len(upper), dtype=bool), (upper, lower)), shape=(len(begins), len(begins)))
    count, patch = connected_components(touching, directed=False)
    return patch, int(count)


def patches_where(
    plane: Plane, choose: Callable[[Samples], Bools], corners: bool, cancel: CancelToken | None = None
) -> Patches:
    """The patches of what is chosen by the samples (h, w) of a plane's first channel. Raises Cancelled."""
    return patches_of(
        plane.height, plane.width, lambda top, end: choose(plane.rows(top, end).samples[..., 0]), corners, cancel
    )


def patches_in(chosen: Bools, corners: bool, cancel: CancelToken | None = None) -> Patches:
    """The patches of chosen texels (H, W). Raises Cancelled."""
    height, width = chosen.shape
    return patches_of(height, width, lambda first, last: chosen[first:last], corners, cancel)
