"""Which faces each texel of a sheet shows, with edges in parts of a texel and with padding; the mesh's shape alone.

What is given to regions changes often, the shape does not: so labels of faces become texels by look-up.
"""

from dataclasses import dataclass

import numpy as np

from even_palette.core.arrays import Bools, Floats, Samples
from even_palette.core.jobs import CancelToken, Progress, silent
from even_palette.core.mesh.model import distinct_rows


@dataclass(frozen=True, eq=False)
class Footprint:
    """The face of each texel and, where samples of a texel show several faces, all of them.

    `face` (H, W) int32, at the centre or else at the first sample that shows one, -1 for none. `several` (n,) are
    texels as row * W + column whose `samples` (n, S) int32 differ, -1 where a sample shows none. `nearest` (H, W) is
    where padding takes its value from; `claims` (H, W) uint8 tells how many faces cover the centre.
    """

    face: Samples
    claims: Samples
    several: Samples
    samples: Samples
    nearest: Samples

    @property
    def covered(self) -> Bools:
        """Which texels a face covers."""
        return np.asarray(self.face >= 0)


def footprint(
    uv: Floats,
    width: int,
    height: int,
    samples_a_side: int,
    padding: int,
    progress: Progress = silent,
    cancel: CancelToken | None = None,
) -> Footprint:
    """Rasterize triangles of uv (F, 3, 2) at texel centres and at a grid of samples in each. Raises Cancelled."""
    from even_palette.core.mesh.padding import nearest_covered
    from even_palette.core.mesh.raster import Raster, rasterize

    places = sample_places(samples_a_side)
    rasters: list[Raster] = []
    for number, place in enumerate(places):

        def tell(share: float, doing: str, number: int = number) -> None:
            progress((number + share) / (len(places) + 1), doing)

        rasters.append(rasterize(uv, width, height, place, tell, cancel))
    centre = rasters[0]
    face = centre.face.copy()
    mixed = np.zeros(face.shape, dtype=bool)
    for other in rasters[1:]:
        mixed |= other.face != centre.face
        np.copyto(face, other.face, where=face < 0)
    several = np.flatnonzero(mixed)
    samples = np.stack([raster.face.ravel()[several] for raster in rasters], axis=-1)
    if cancel:
        cancel.check()
    progress(len(places) / (len(places) + 1), "Padding")
    return Footprint(face, centre.claims, several, samples, nearest_covered(face >= 0, padding))


def sample_places(a_side: int) -> list[tuple[float, float]]:
    """The centre of a texel, then a grid of places in it if there are more than one a side."""
    steps = [(i + 0.5) / a_side for i in range(a_side)]
    return [(0.5, 0.5), *([(x, y) for y in steps for x in steps] if a_side > 1 else [])]


def label_classes(print_: Footprint, labels: Samples, count: int) -> tuple[Samples, Floats]:
    """Texels by what share of them each label has.

    `labels` (F,) are 0 .. count - 1, or -1 for faces without one. Gives the class of each texel, (H, W) int32, and
    for each class the shares of the labels among the covered samples, (n, count) float32. Class 0 shows none.
    """
    numbers = np.concatenate([labels.astype(np.int32) + 2, [0]])  # 0: no face, 1: no label, 2 ...: labels
    flat = numbers[print_.face.ravel()]
    table = np.zeros((count + 2, count), dtype=np.float32)
    table[np.arange(count) + 2, np.arange(count)] = 1
    rows = np.sort(numbers[print_.samples], axis=1)
    seen = np.where(rows > 0, rows, count + 3)
    mixed = seen.min(axis=1, initial=count + 3) != rows.max(axis=1, initial=0)
    classes = flat
    if mixed.any():
        first, number = distinct_rows(rows[mixed])
        distinct = rows[mixed][first]
        shares = np.stack([(distinct == label + 2).sum(axis=1) for label in range(count)], axis=-1)
        shares = shares / np.maximum((distinct > 0).sum(axis=1), 1)[:, None]
        classes[print_.several[mixed]] = count + 2 + number
        table = np.concatenate([table, shares.astype(np.float32)])
    padded = np.where(print_.nearest.ravel() < 0, 0, classes[print_.nearest.ravel()])
    return padded.reshape(print_.face.shape), table
