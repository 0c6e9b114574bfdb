"""A camera that turns around a mesh: numbers and rules."""

import math
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from even_palette.core.arrays import Floats, Samples, float32

FIELD_DEG = 32.0
NEAREST, FARTHEST = 0.02, 40.0
MOST_PITCH = math.radians(89)
MARGIN = 1.06

Vector = tuple[float, float, float]


@dataclass(frozen=True)
class Orbit:
    """Looks at a point from a distance; yaw and pitch in radians. `size` is the diagonal of what is looked at."""

    target: Vector = (0.0, 0.0, 0.0)
    yaw: float = 0.65
    pitch: float = 0.38
    distance: float = 3.0
    size: float = 1.0

    def framed(self, points: Floats, aspect: float) -> "Orbit":
        """All points (n, 3) in the middle of a view of this width to height."""
        low, high = points.min(axis=0), points.max(axis=0)
        middle = (low + high).astype(np.float64) / 2
        size = max(float(np.linalg.norm(high - low)), 1e-6)
        right, up, ahead = self.axes()
        half = math.tan(math.radians(FIELD_DEG) / 2)
        distance = size
        room = half / MARGIN  # on the picture, so that a point close to the eye gets no more of it than others
        for _ in range(4):
            to = points - middle
            depth = distance + to @ ahead
            # Move what is seen to the middle of the view, then go so far that it just fits.
            for axis in (right, up):
                shown = (to @ axis) / np.maximum(depth, 1e-3 * size)
                middle = middle + axis * (float(shown.max() + shown.min()) / 2 * distance)
            to = points - middle
            across = np.abs(to @ right) / (room * max(aspect, 1e-3)) - to @ ahead
            upwards = np.abs(to @ up) / room - to @ ahead
            distance = float(max(across.max(), upwards.max(), size * 0.05))
        x, y, z = (float(v) for v in middle)
        return replace(self, target=(x, y, z), size=size, distance=distance)

    def turned(self, dx: float, dy: float) -> "Orbit":
        """Turned by pixels of a drag."""
        pitch = min(max(self.pitch + dy * 0.008, -MOST_PITCH), MOST_PITCH)
        return replace(self, yaw=self.yaw - dx * 0.008, pitch=pitch)

    def panned(self, dx: float, dy: float, height: int) -> "Orbit":
        """The mesh moved along with the cursor by pixels of a view of this height."""
        right, up, _ = self.axes()
        step = 2 * self.distance * math.tan(math.radians(FIELD_DEG) / 2) / height
        x, y, z = np.asarray(self.target) - right * dx * step + up * dy * step
        return replace(self, target=(float(x), float(y), float(z)))

    def zoomed(self, factor: float, x: float, y: float, width: int, height: int) -> "Orbit":
        """Closer by a factor; what lies under pixel (x, y) at the target's depth stays there."""
        distance = min(max(self.distance / factor, NEAREST * self.size), FARTHEST * self.size)
        right, up, _ = self.axes()
        step = 2 * math.tan(math.radians(FIELD_DEG) / 2) / height * (self.distance - distance)
        moved = np.asarray(self.target) + right * (x - width / 2) * step - up * (y - height / 2) * step
        return replace(self, target=(float(moved[0]), float(moved[1]), float(moved[2])), distance=distance)

    def axes(self) -> tuple[Samples, Samples, Samples]:
        """Right, up and ahead, unit vectors of the view."""
        return _axes(self.yaw, self.pitch)

    def eye(self) -> Vector:
        """Where the camera stands, in the units of the mesh."""
        x, y, z = np.asarray(self.target) - self.axes()[2] * self.distance
        return (float(x), float(y), float(z))

    def rays(self, pixels: Floats, width: int, height: int) -> Samples:
        """Where one looks through pixels (n, 2) of a view of this size, (n, 3); `eye` is where all begin."""
        right, up, ahead = self.axes()
        half = math.tan(math.radians(FIELD_DEG) / 2)
        x = (pixels[:, :1] / width * 2 - 1) * half * width / height
        y = (1 - pixels[:, 1:] / height * 2) * half
        return np.asarray(ahead + x * right + y * up)

    def matrix(self, aspect: float) -> Floats:
        """World to clip space (OpenGL 4.6, section 13.8), (4, 4) by rows."""
        right, up, ahead = self.axes()
        eye = np.asarray(self.eye())
        view = np.eye(4)
        view[:3, :3] = (right, up, -ahead)
        view[:3, 3] = -view[:3, :3] @ eye
        near = max(self.distance - 2 * self.size, self.distance * 0.01)
        far = self.distance + 2 * self.size
        scale = 1 / math.tan(math.radians(FIELD_DEG) / 2)
        lens = np.array(
            [
                [scale / max(aspect, 1e-3), 0, 0, 0],
                [0, scale, 0, 0],
                [0, 0, (far + near) / (near - far), 2 * far * near / (near - far)],
                [0, 0, -1, 0],
            ]
        )
        return float32(lens @ view)

    def to_pixels(self, points: Floats, width: int, height: int) -> tuple[Floats, Floats]:
        """Where points (n, 3) appear, (n, 2) in pixels from the upper left corner, and their clip-space depth (n,)."""
        homogeneous = np.concatenate([points, np.ones((len(points), 1))], axis=1) @ self.matrix(width / height).T
        w = np.where(np.abs(homogeneous[:, 3:]) > 1e-9, homogeneous[:, 3:], 1e-9)
        seen = homogeneous[:, :3] / w
        pixels = np.stack([(seen[:, 0] + 1) / 2 * width, (1 - seen[:, 1]) / 2 * height], axis=-1)
        return float32(pixels), float32(np.where(homogeneous[:, 3] > 0, seen[:, 2], np.inf))


@lru_cache(maxsize=64)
def _axes(yaw: float, pitch: float) -> tuple[Samples, Samples, Samples]:
    ahead = -np.array(direction(yaw, pitch))
    right = np.cross(ahead, (0.0, 1.0, 0.0))
    right /= np.linalg.norm(right)
    made = right, np.cross(right, ahead), ahead
    for axis in made:
        axis.setflags(write=False)
    return made


def direction(yaw: float, pitch: float) -> Vector:
    """The unit vector at these angles: yaw 0 looks to +z, pitch up is +y."""
    return (math.cos(pitch) * math.sin(yaw), math.sin(pitch), math.cos(pitch) * math.cos(yaw))
