"""Which triangle covers which texel of a sheet, exactly, and values carried from corners to texels."""

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from os import cpu_count

import numba as nb
import numpy as np

from even_palette.core.arrays import Bools, Floats, Samples
from even_palette.core.jobs import CancelToken, Progress, silent

SUBTEXEL = 4096
"""UVs are rounded to this fraction of a texel, so that the edge functions are exact in 64-bit integers."""
FARTHEST_TILES = 16
BAND_ROWS = 256
NO_FACES = np.zeros(0, dtype=bool)


@dataclass(frozen=True, eq=False)
class Raster:
    """The face of each texel (H, W) int32, -1 for none, and how many faces claim it (H, W) uint8.

    Where several do, it is the one with the lowest number.
    """

    face: Samples
    claims: Samples

    @property
    def covered(self) -> Bools:
        """Which samples a face covers."""
        return np.asarray(self.face >= 0)


def snapped(uv: Floats, width: int, height: int) -> Samples:
    """UVs (F, 3, 2) in 1/4096 of a texel, (F, 3, 2) int64; a face that leaves 16 tiles has no extent."""
    wide = uv.astype(np.float64)
    near = np.isfinite(wide).all(axis=(1, 2)) & (np.abs(wide).max(axis=(1, 2), initial=0) <= FARTHEST_TILES)
    wide = np.where(near[:, None, None], wide, 0)
    return np.rint(wide * (width * SUBTEXEL, height * SUBTEXEL)).astype(np.int64)


def rasterize(
    uv: Floats,
    width: int,
    height: int,
    sample: tuple[float, float] = (0.5, 0.5),
    progress: Progress = silent,
    cancel: CancelToken | None = None,
) -> Raster:
    """Cover a tile of width x height texels with triangles of uv (F, 3, 2).

    A texel belongs to a triangle if its sample, by default its centre, lies inside, or on a top or left edge
    (OpenGL 4.6 section 14.6.1 asks for one owner of a shared edge; the rule is the one of Direct3D 11.3, 3.4.2).
    `sample` is a place in the texel in multiples of 1/8. Raises Cancelled.
    """
    at = snapped(uv, width, height)
    face = np.full((height, width), -1, dtype=np.int32)
    claims = np.zeros((height, width), dtype=np.uint8)
    shift_x, shift_y = round(sample[0] * SUBTEXEL), round(sample[1] * SUBTEXEL)
    bands = [(first, min(first + BAND_ROWS, height)) for first in range(0, height, BAND_ROWS)]

    def fill(band: tuple[int, int]) -> None:
        if cancel:
            cancel.check()
        _fill(at, face, claims, NO_FACES, band[0], band[1], shift_x, shift_y)

    with ThreadPoolExecutor(cpu_count() or 1) as pool:
        for done, _ in enumerate(pool.map(fill, bands), 1):
            progress(done / len(bands), "Texels")
    return Raster(face, claims)


@nb.njit(nogil=True, cache=True)
def _fill(at, face, claims, overlapping, first_row, last_row, shift_x, shift_y):  # type: ignore[no-untyped-def]
    """Note the face and the claims of each texel; or, where `overlapping` is given, which faces share texels."""
    width, count, looking = face.shape[1], claims.shape == face.shape, len(overlapping) > 0
    for f in range(at.shape[0]):
        ax, ay, bx, by, cx, cy = at[f, 0, 0], at[f, 0, 1], at[f, 1, 0], at[f, 1, 1], at[f, 2, 0], at[f, 2, 1]
        twice = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
        if twice == 0:
            continue
        if twice < 0:
            bx, by, cx, cy = cx, cy, bx, by
        top = max(first_row, -((shift_y - min(ay, by, cy)) // SUBTEXEL))
        bottom = min(last_row - 1, (max(ay, by, cy) - shift_y) // SUBTEXEL)
        left = max(0, -((shift_x - min(ax, bx, cx)) // SUBTEXEL))
        right = min(width - 1, (max(ax, bx, cx) - shift_x) // SUBTEXEL)
        if top > bottom or left > right:
            continue
        # With v down and this orientation a top edge runs right and a left edge runs up.
        abx, aby, bcx, bcy, cax, cay = bx - ax, by - ay, cx - bx, cy - by, ax - cx, ay - cy
        ab_edge = 0 if aby < 0 or (aby == 0 and abx > 0) else 1
        bc_edge = 0 if bcy < 0 or (bcy == 0 and bcx > 0) else 1
        ca_edge = 0 if cay < 0 or (cay == 0 and cax > 0) else 1
        for row in range(top, bottom + 1):
            y = row * SUBTEXEL + shift_y
            x = left * SUBTEXEL + shift_x
            ab = abx * (y - ay) - aby * (x - ax)
            bc = bcx * (y - by) - bcy * (x - bx)
            ca = cax * (y - cy) - cay * (x - cx)
            for column in range(left, right + 1):
                if ab >= ab_edge and bc >= bc_edge and ca >= ca_edge:
                    if looking:
                        if claims[row, column] > 1:
                            overlapping[f] = True
                    elif face[row, column] < 0:
                        face[row, column] = f
                    if count and not looking and claims[row, column] < 255:
                        claims[row, column] += 1
                ab -= aby * SUBTEXEL
                bc -= bcy * SUBTEXEL
                ca -= cay * SUBTEXEL


def fill_rows(at: Samples, size: int, first: int, last: int, sample: tuple[float, float]) -> Samples:
    """The face (last - first, size) int32 of the texels in these rows of a square tile; `at` are snapped UVs."""
    face = np.full((last - first, size), -1, dtype=np.int32)
    claims = np.zeros((1, 1), dtype=np.uint8)
    # The rows are moved to the top, so that the tile need not be whole.
    shift_x, shift_y = round(sample[0] * SUBTEXEL), round(sample[1] * SUBTEXEL)
    _fill(at, face, claims, NO_FACES, 0, last - first, shift_x, shift_y + first * SUBTEXEL)
    return face


def carry_rows(
    values: Floats, uv: Samples, face: Samples, first: int, size: int, sample: tuple[float, float] = (0.5, 0.5)
) -> Floats:
    """Values at corners (F, 3, C) interpolated to the samples of the covered texels of some rows: (n, C) float32.

    `face` (h, size) are the faces of the rows from `first` on, `uv` (F, 3, 2) float64.
    """
    out = np.empty((int((face >= 0).sum()), values.shape[2]), dtype=np.float32)
    _carry(face, uv, values, first, float(size), sample[0], sample[1], out)
    return out


@nb.njit(nogil=True, cache=True)
def _carry(face, uv, values, first, size, sample_x, sample_y, out):  # type: ignore[no-untyped-def]
    at = 0
    for row in range(face.shape[0]):
        y = (row + first + sample_y) / size
        for column in range(face.shape[1]):
            f = face[row, column]
            if f < 0:
                continue
            x = (column + sample_x) / size
            ax, ay = uv[f, 0, 0], uv[f, 0, 1]
            bx, by = uv[f, 1, 0] - ax, uv[f, 1, 1] - ay
            cx, cy = uv[f, 2, 0] - ax, uv[f, 2, 1] - ay
            whole = bx * cy - by * cx
            b = c = 1.0 / 3.0
            if whole != 0.0:
                b = ((x - ax) * cy - (y - ay) * cx) / whole
                c = (bx * (y - ay) - by * (x - ax)) / whole
            b = min(max(b, 0.0), 1.0)
            c = min(max(c, 0.0), 1.0 - b)
            for channel in range(values.shape[2]):
                out[at, channel] = (
                    values[f, 0, channel] * (1.0 - b - c) + values[f, 1, channel] * b + values[f, 2, channel] * c
                )
            at += 1


@dataclass(frozen=True)
class Layout:
    """What is wrong with how UVs lie: texels claimed by several faces; faces that leave the tile or have no area.

    `broken_faces` have UVs that are no numbers and count as nothing else.
    """

    overlapping_texels: int
    overlapping_faces: int
    outside_faces: int
    empty_faces: int
    broken_faces: int


def layout(uv: Floats, claims: Samples) -> Layout:
    """Count overlapping UVs, faces with a corner outside 0..1, without UV area, and with UVs that are no numbers."""
    broken = np.asarray(~np.isfinite(uv).all(axis=(1, 2)))
    outside = outside_faces(uv) & ~broken
    wide = np.where(broken[:, None, None], 0, uv.astype(np.float64))
    edge = wide[:, 1:] - wide[:, :1]
    area = edge[:, 0, 0] * edge[:, 1, 1] - edge[:, 0, 1] * edge[:, 1, 0]
    shared = overlapping_faces(uv, claims)
    empty = (area == 0) & ~broken
    return Layout(int((claims > 1).sum()), int(shared.sum()), int(outside.sum()), int(empty.sum()), int(broken.sum()))


def overlapping_faces(uv: Floats, claims: Samples) -> Bools:
    """The faces (F,) of uv (F, 3, 2) that share a texel's centre with another; `claims` as of their raster."""
    height, width = claims.shape
    found = np.zeros(len(uv), dtype=bool)
    if (claims > 1).any():
        half = SUBTEXEL // 2
        own = np.array(claims)  # what was kept cannot be written to, which is another type for the compiled loop
        _fill(snapped(uv, width, height), np.zeros((1, width), np.int32), own, found, 0, height, half, half)
    return found


def outside_faces(uv: Floats) -> Bools:
    """The faces (F,) of uv (F, 3, 2) that have a corner outside 0..1."""
    return np.asarray(~np.all((uv >= 0) & (uv <= 1), axis=(1, 2)))
