"""How the UVs of a mesh lie, as lines."""

import numba as nb
import numpy as np

from even_palette.core.arrays import Floats
from even_palette.core.mesh.raster import SUBTEXEL, snapped


def uv_lines(uv: Floats, width: int, height: int, thickness: float = 1.0) -> Floats:
    """The edges of triangles of uv (F, 3, 2) as lines on a tile of width x height texels, (H, W) float32 0..1.

    Each line is so many texels thick; a texel has the share of it that the nearest line covers, as by a filter of one
    texel across the line.
    """
    at = snapped(uv, width, height)
    ends = np.concatenate([at, at[:, (1, 2, 0)]], axis=2).reshape(-1, 2, 2)
    swap = (ends[:, 0, 0] > ends[:, 1, 0]) | ((ends[:, 0, 0] == ends[:, 1, 0]) & (ends[:, 0, 1] > ends[:, 1, 1]))
    ends[swap] = ends[swap][:, ::-1]
    edges = np.unique(ends[(ends[:, 0] != ends[:, 1]).any(axis=1)].reshape(-1, 4), axis=0)
    seen = np.zeros((height, width), dtype=np.float32)
    _draw(edges.astype(np.float64) / SUBTEXEL, thickness / 2, seen)
    return seen


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _draw(edges, half, seen):  # type: ignore[no-untyped-def]
    height, width = seen.shape
    reach = half + 1.0
    for number in range(len(edges)):
        x, y, to_x, to_y = edges[number]
        across, down = to_x - x, to_y - y
        square = across * across + down * down
        for row in range(max(0, int(min(y, to_y) - reach)), min(height, int(max(y, to_y) + reach) + 1)):
            # the part of the line that can reach this row
            first, last = 0.0, 1.0
            if abs(down) > 0:
                one, other = (row + 0.5 - reach - y) / down, (row + 0.5 + reach - y) / down
                first, last = max(0.0, min(one, other)), min(1.0, max(one, other))
            if first > last:
                continue
            low, high = x + across * first, x + across * last
            low, high = min(low, high) - reach, max(low, high) + reach
            for column in range(max(0, int(low)), min(width, int(high) + 1)):
                right, below = column + 0.5 - x, row + 0.5 - y
                share = 0.0
                if square > 0:
                    share = min(1.0, max(0.0, (right * across + below * down) / square))
                right, below = right - share * across, below - share * down
                covered = half + 0.5 - np.sqrt(right * right + below * below)
                if covered > seen[row, column]:
                    seen[row, column] = min(1.0, covered)
