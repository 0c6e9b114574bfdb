"""Building demo meshes from grids of points, each a shell of its own with its rectangle of the sheet."""

from collections.abc import Sequence

import numpy as np

from even_palette.core.arrays import Floats, Levels, Samples, float32
from even_palette.core.colour.hexcode import Rgb8
from even_palette.core.mesh.model import Mesh, build_mesh
from even_palette.core.mesh.padding import nearest_covered
from even_palette.core.mesh.raster import rasterize

Texels = tuple[float, float, float, float]
"""Left, top, right and bottom of a rectangle of the sheet, in texels."""


class Modeller:
    """Collects grids. `part` is what a grid belongs to; its ID colour becomes the vertex colour."""

    def __init__(self, side: int) -> None:
        self._side = side
        self._points: list[Floats] = []
        self._normals: list[Floats] = []
        self._uv: list[Floats] = []
        self._faces: list[Samples] = []
        self._parts: list[str] = []
        self._slots: list[str] = []

    def grid(self, points: Samples, at: Texels, part: str, slot: str, turned: bool = False) -> None:
        """Add a surface over (n, m, 3) points, rows down and columns right of the sheet's rectangle.

        Seen from outside, rows run down and columns right; `turned` is for a grid that is given the other way round.
        """
        rows, columns = points.shape[:2]
        left, top, right, bottom = (value / self._side for value in at)
        u, v = np.meshgrid(np.linspace(left, right, columns), np.linspace(top, bottom, rows))
        self.warped(points, np.stack([u, v], axis=-1), part, slot, turned)

    def warped(self, points: Samples, uv: Samples, part: str, slot: str, turned: bool = False) -> None:
        """The same with a uv (n, m, 2) for each point."""
        rows, columns = points.shape[:2]
        number = np.arange(rows * columns).reshape(rows, columns)
        a, b, c, d = number[:-1, :-1], number[1:, :-1], number[1:, 1:], number[:-1, 1:]
        faces = np.concatenate([np.stack(t, axis=-1).reshape(-1, 3) for t in ((a, b, c), (a, c, d))])
        flat = points.reshape(-1, 3)[faces]
        area = np.linalg.norm(np.cross(flat[:, 1] - flat[:, 0], flat[:, 2] - flat[:, 0]), axis=1)
        faces = faces[area > 1e-9]  # poles of domes
        normals = _smooth(points)
        if turned:
            faces, normals = faces[:, ::-1], -normals
        self._faces.append(faces + sum(len(p) for p in self._points))
        self._points.append(float32(points.reshape(-1, 3)))
        self._normals.append(float32(normals.reshape(-1, 3)))
        self._uv.append(float32(uv.reshape(-1, 2)))
        self._parts += [part] * len(faces)
        self._slots += [slot] * len(faces)

    def tube(self, path: Samples, radius: Samples | float, at: Texels, part: str, slot: str, sides: int = 8) -> None:
        """Add a tube around a path (n, 3): its length runs to the right of the rectangle, its sides down."""
        ahead = np.gradient(path, axis=0)
        ahead /= np.linalg.norm(ahead, axis=1, keepdims=True)
        helper = np.where(np.abs(ahead[:, 1:2]) < 0.9, (0.0, 1.0, 0.0), (1.0, 0.0, 0.0))
        across = np.cross(ahead, helper)
        across /= np.linalg.norm(across, axis=1, keepdims=True)
        up = np.cross(across, ahead)
        angle = np.linspace(0, 2 * np.pi, sides + 1)
        angle[-1] = 0.0  # the seam closes exactly
        radii = np.broadcast_to(np.asarray(radius, dtype=np.float64), (len(path),))[None, :, None]
        ring = np.cos(angle)[:, None, None] * across[None] + np.sin(angle)[:, None, None] * up[None]
        self.grid(path[None] + radii * ring, at, part, slot, turned=True)

    def dome(
        self, centre: Sequence[float], axis: int, sign: int, radius: float, at: Texels, part: str, slot: str
    ) -> None:
        """Add half a ball that bulges along an axis; it lies in the circle inside the rectangle."""
        left, top, right, bottom = at
        angle = np.linspace(0, 2 * np.pi, 17)
        angle[-1] = 0.0
        tilt = np.linspace(0, np.pi / 2, 7)[:, None]
        others = [i for i in range(3) if i != axis]
        points = np.zeros((7, 17, 3)) + np.asarray(centre, dtype=np.float64)
        points[..., others[0]] += radius * np.sin(tilt) * np.cos(angle)
        points[..., others[1]] += radius * np.sin(tilt) * np.sin(angle)
        points[..., axis] += sign * radius * np.cos(tilt)
        away = tilt / (np.pi / 2)
        u = (left + right) / 2 + (right - left) / 2 * away * np.cos(angle)
        v = (top + bottom) / 2 + (bottom - top) / 2 * away * np.sin(angle)
        uv = np.stack([u, v], axis=-1) / self._side
        self.warped(points, uv, part, slot, turned=(sign > 0) == (axis == 1))

    def mesh(self, id_colours: dict[str, Rgb8]) -> tuple[Mesh, tuple[str, ...]]:
        """The mesh with ID colours as vertex colours, and the part of each face."""
        faces = np.concatenate(self._faces)
        slots = tuple(dict.fromkeys(self._slots))
        colours: Levels = np.array([id_colours[part] for part in self._parts], dtype=np.uint8)
        mesh = build_mesh(
            np.concatenate(self._points),
            faces,
            (np.concatenate(self._uv)[faces],),
            np.concatenate(self._normals)[faces],
            np.repeat(colours[:, None], 3, axis=1),
            slots,
            np.array([slots.index(slot) for slot in self._slots], dtype=np.int32),
        )
        return mesh, tuple(self._parts)


def part_map(mesh: Mesh, parts: tuple[str, ...], names: Sequence[str], side: int, reach: int) -> Samples:
    """The number of the part (by its place in names) that each texel shows, (side, side); -1 for none.

    Parts go `reach` texels over the edges of their islands, as paint does.
    """
    face = rasterize(mesh.uv_sets[0], side, side).face
    nearest = nearest_covered(face >= 0, reach)
    numbers = np.array([*(list(names).index(part) for part in parts), -1])
    return np.asarray(np.where(nearest < 0, -1, numbers[face.ravel()][nearest]))


def _smooth(points: Samples) -> Samples:
    """Normals over a grid, towards who sees rows run down and columns right."""
    down, right = np.gradient(points, axis=0), np.gradient(points, axis=1)
    normal = np.cross(down, right)
    length = np.linalg.norm(normal, axis=-1, keepdims=True)
    return np.asarray(normal / np.where(length > 1e-12, length, 1))
