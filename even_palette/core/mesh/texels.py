"""Where on the mesh each texel of a sheet lies, so that what is done in space reaches all texels there, over seams."""

from dataclasses import dataclass

import numba as nb
import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.mesh.footprint import Footprint
from even_palette.core.mesh.model import Mesh

BLOCK = 32


@dataclass(frozen=True, eq=False)
class SurfaceTexels:
    """The place of each texel's middle, float32 in the units of the mesh, and its face (H, W) int32.

    `places` (H', W', 3) goes on to whole blocks of 32 x 32 texels, so that it can be looked at by blocks.

    Padding lies where the plane of its face goes on beyond the edge, so that both sides of a seam agree on it. Texels
    of no face have -1 and are no numbers. `low` and `high` (h, w, 3) are the corners of the boxes around each 32 x 32
    block; `texel` is how long a texel is on the mesh in the middle.
    """

    places: Floats
    face: Samples
    low: Floats
    high: Floats
    texel: float

    def near(self, x: float, y: float, z: float, radius: float) -> tuple[list[tuple[int, int, int, int]], Floats]:
        """The blocks that a ball can reach, and how far their texels are from its middle.

        `radius` is in texels of the middle length, and so are the distances (n, 32, 32), infinite where no face is.
        The n blocks are given as top, left, bottom, right, cut where the sheet ends.
        """
        rects, to = self._within(x, y, z, radius)
        far = np.sqrt(np.einsum("...i,...i", to, to)) * np.float32(1 / self.texel)
        far[np.isnan(far)] = np.inf
        return rects, float32(far)

    def laid(
        self, x: float, y: float, z: float, radius: float
    ) -> tuple[list[tuple[int, int, int, int]], Floats, Floats, Floats]:
        """The same blocks, and their texels in the plane that fits the surface there: to the right, down, and off it.

        Distances (n, 32, 32) are in texels of the middle length, infinite where no face is. Down is down in space; a
        surface that lies flat has depth in its place. The plane's front is where the mesh's middle is not.
        """
        rects, to = self._within(x, y, z, radius)
        known = np.asarray(np.isfinite(to).all(axis=-1))
        near = to[known]
        near = near[(near * near).sum(axis=-1) <= (radius * self.texel) ** 2].astype(np.float64)
        normal = np.array((0.0, 0.0, 1.0))
        if len(near) > 2:
            centred = near - near.mean(axis=0)
            normal = np.linalg.eigh(centred.T @ centred)[1][:, 0]
        low, high = self.low[np.isfinite(self.low)], self.high[np.isfinite(self.high)]
        middle = (low.reshape(-1, 3).min(axis=0) + high.reshape(-1, 3).max(axis=0)) / 2
        outward = float(normal @ (np.array((x, y, z)) - middle))
        if abs(outward) < 1e-6 * self.texel:
            outward = float(normal[np.abs(normal).argmax()])
        normal = normal if outward >= 0 else -normal
        up = np.array((0.0, 1.0, 0.0)) if abs(normal[1]) < 0.9 else np.array((0.0, 0.0, -1.0))
        right = np.cross(up, normal)
        right /= np.linalg.norm(right)
        down = np.cross(right, normal)
        axes = float32(np.stack([right, down, normal], axis=-1) / self.texel)
        flat = np.where(known[..., None], np.nan_to_num(to) @ axes, np.float32(np.inf))
        return rects, float32(flat[..., 0]), float32(flat[..., 1]), float32(flat[..., 2])

    def _within(self, x: float, y: float, z: float, radius: float) -> tuple[list[tuple[int, int, int, int]], Floats]:
        """The blocks that a ball can reach, and the ways (n, 32, 32, 3) from its middle to their texels."""
        middle = np.array((x, y, z), dtype=np.float32)
        gap = np.maximum(np.maximum(self.low - middle, middle - self.high), 0)
        rows, columns = np.nonzero((gap * gap).sum(axis=-1) <= (radius * self.texel) ** 2)
        height, width = self.face.shape
        blocks = self.places.reshape(len(self.low), BLOCK, self.low.shape[1], BLOCK, 3)[rows, :, columns]
        rects = [
            (r * BLOCK, c * BLOCK, min(r * BLOCK + BLOCK, height), min(c * BLOCK + BLOCK, width))
            for r, c in zip(rows.tolist(), columns.tolist(), strict=True)
        ]
        return rects, float32(blocks - middle)


def surface_texels(mesh: Mesh, uv: Floats, print_: Footprint) -> SurfaceTexels:
    """The texels of a footprint on their mesh; `uv` (F, 3, 2) is what the footprint was made of."""
    height, width = print_.face.shape
    nearest = print_.nearest.ravel()
    face = np.where(nearest < 0, -1, print_.face.ravel()[nearest]).reshape(height, width).astype(np.int32)
    corners = np.ascontiguousarray(mesh.corners(), dtype=np.float64)
    wide = np.ascontiguousarray(uv, dtype=np.float64)
    blocks = (-(-height // BLOCK), -(-width // BLOCK))
    places = np.full((blocks[0] * BLOCK, blocks[1] * BLOCK, 3), np.nan, dtype=np.float32)
    _lay(face, wide, corners, places)
    low, high = np.full((*blocks, 3), np.inf, np.float32), np.full((*blocks, 3), -np.inf, np.float32)
    _boxes(face, places, low, high)
    return SurfaceTexels(places, face, low, high, texel_length(wide, corners, height, width))


def texel_length(uv: Samples, corners: Samples, height: int, width: int) -> float:
    """The side of the square on the mesh that a texel covers in the middle, in the units of the mesh."""
    flat = uv * (width, height)
    a, b = flat[:, 1] - flat[:, 0], flat[:, 2] - flat[:, 0]
    texels = np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]).sum() / 2
    area = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1).sum() / 2
    return float(np.sqrt(area / texels)) if texels > 0 and area > 0 else 1.0


@nb.njit(nogil=True, cache=True)
def _lay(face, uv, corners, out):  # type: ignore[no-untyped-def]
    height, width = face.shape
    for row in range(height):
        y = (row + 0.5) / height
        for column in range(width):
            f = face[row, column]
            if f < 0:
                continue
            x = (column + 0.5) / width
            ax, ay = uv[f, 0, 0], uv[f, 0, 1]
            bx, by = uv[f, 1, 0] - ax, uv[f, 1, 1] - ay
            cx, cy = uv[f, 2, 0] - ax, uv[f, 2, 1] - ay
            whole = bx * cy - by * cx
            b = c = 1.0 / 3.0
            if abs(whole) > 1e-18:
                b = ((x - ax) * cy - (y - ay) * cx) / whole
                c = (bx * (y - ay) - by * (x - ax)) / whole
            for axis in range(3):
                out[row, column, axis] = (
                    corners[f, 0, axis] * (1.0 - b - c) + corners[f, 1, axis] * b + corners[f, 2, axis] * c
                )


@nb.njit(nogil=True, cache=True)
def _boxes(face, places, low, high):  # type: ignore[no-untyped-def]
    height, width = face.shape
    for row in range(height):
        for column in range(width):
            if face[row, column] < 0:
                continue
            for axis in range(3):
                value = places[row, column, axis]
                r, c = row // BLOCK, column // BLOCK
                low[r, c, axis] = min(low[r, c, axis], value)
                high[r, c, axis] = max(high[r, c, axis], value)
