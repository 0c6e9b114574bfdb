"""Smoothing along the grain of hair, fur, brushed metal, rope, wood.

The structure tensor (Bigün and Granlund 1987) gives the direction in which a picture changes least; colours are
averaged along the line that follows it (Cabral and Leedom 1993; Kyprianidis and Kang 2011).
"""

from functools import partial

import numba as nb
import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.jobs import CancelToken, Progress, in_parts, silent

TENSOR_SIGMA = 2.0
MOST_STEPS = 64


def smooth_strands(
    values: Floats,
    radius: float,
    strength: float = 1.0,
    passes: int = 1,
    normals: bool = False,
    progress: Progress = silent,
    cancel: CancelToken | None = None,
) -> Floats:
    """Values (H, W, C), 0..1, averaged along their strands over a Gaussian of `radius` texels (its standard deviation).

    All channels follow one grain; normals (encoded 0..1) are made of length 1 again. Raises Cancelled.
    """
    done = np.asarray(values, dtype=np.float64)
    for number in range(passes):
        progress(number / passes, "Following strands")
        along = directions(done)
        out = np.empty_like(done)
        steps = int(min(MOST_STEPS, np.ceil(2 * radius)))
        in_parts(len(done), partial(_part, done, along, radius, steps, out), cancel)
        done = done + (out - done) * strength
    return _unit(done) if normals else float32(done)


def _part(values: Samples, along: Samples, radius: float, steps: int, out: Samples, first: int, last: int) -> None:
    _average(values, along, radius, steps, first, last, out)


def _unit(encoded: Samples) -> Floats:
    """Encoded normals made of length 1; what has none stays."""
    vectors = encoded[..., :3] * 2 - 1
    length = np.sqrt(np.square(vectors).sum(axis=-1, keepdims=True))
    vectors = np.where(length > 1e-6, vectors / np.maximum(length, 1e-6), vectors)
    return float32(np.concatenate([vectors * 0.5 + 0.5, encoded[..., 3:]], axis=-1))


def directions(values: Samples) -> Samples:
    """The direction of the grain at each texel as a unit vector (x, y), (H, W, 2) float64; 0 where there is none."""
    from scipy.ndimage import gaussian_filter

    padded = np.pad(values, ((1, 1), (1, 1), (0, 0)), mode="edge")
    # Scharr's gradient (2000), written so that a quarter turn swaps the two exactly.
    dx = (padded[:, 2:] - padded[:, :-2]) * 0.5
    dy = (padded[2:] - padded[:-2]) * 0.5
    dx = (dx[:-2] + dx[2:]) * (3 / 16) + dx[1:-1] * (10 / 16)
    dy = (dy[:, :-2] + dy[:, 2:]) * (3 / 16) + dy[:, 1:-1] * (10 / 16)
    xx, yy, xy = (dx * dx).sum(-1), (dy * dy).sum(-1), (dx * dy).sum(-1)
    xx, yy, xy = (gaussian_filter(part, TENSOR_SIGMA, mode="nearest", truncate=3) for part in (xx, yy, xy))
    half = np.arctan2(2 * xy, xx - yy) / 2
    along = np.stack([-np.sin(half), np.cos(half)], axis=-1)
    strong = np.sqrt((xx - yy) ** 2 + 4 * xy * xy) > 1e-12
    return np.asarray(along * strong[..., None])


@nb.njit(nogil=True, cache=True)
def _average(values, along, radius, steps, first, last, out):  # type: ignore[no-untyped-def]
    height, width, channels = values.shape
    kernel = np.empty(steps + 1)
    for n in range(steps + 1):
        kernel[n] = np.exp(-0.5 * (n / radius) ** 2)
    for y in range(first, last):
        for x in range(width):
            for c in range(channels):
                out[y, x, c] = values[y, x, c]
            if along[y, x, 0] == 0.0 and along[y, x, 1] == 0.0:
                continue
            total = 1.0
            for way in range(2):
                dx, dy = along[y, x, 0], along[y, x, 1]
                if way == 1:
                    dx, dy = -dx, -dy
                px, py = float(x), float(y)
                for n in range(1, steps + 1):
                    px, py = px + dx, py + dy
                    if px < 0 or py < 0 or px > width - 1 or py > height - 1:
                        break
                    x0, y0 = min(int(px), width - 2), min(int(py), height - 2)
                    if width < 2:
                        x0 = 0
                    if height < 2:
                        y0 = 0
                    x1, y1 = min(x0 + 1, width - 1), min(y0 + 1, height - 1)
                    fx, fy = px - x0, py - y0
                    weight = kernel[n]
                    total += weight
                    a, b, d, e = (1 - fx) * (1 - fy), fx * (1 - fy), (1 - fx) * fy, fx * fy
                    for c in range(channels):
                        out[y, x, c] += weight * (
                            (a * values[y0, x0, c] + e * values[y1, x1, c])
                            + (b * values[y0, x1, c] + d * values[y1, x0, c])
                        )
                    near_x, near_y = int(px + 0.5), int(py + 0.5)
                    gx, gy = along[near_y, near_x, 0], along[near_y, near_x, 1]
                    if gx * dx + gy * dy < 0:
                        gx, gy = -gx, -gy
                    if gx != 0.0 or gy != 0.0:
                        dx, dy = gx, gy
            for c in range(channels):
                out[y, x, c] /= total


def enlarged(values: Floats) -> Floats:
    """Values (H, W, C) at twice the size, (2 H, 2 W, C): cubic, then smoothed a little along strands.

    So lines stay lines, where a cubic alone leaves steps. Clipped to what the surround has.
    """
    from scipy.ndimage import maximum_filter, minimum_filter, zoom

    size = (2, 2, 1)
    large = zoom(np.asarray(values, dtype=np.float64), size, order=3, mode="nearest", grid_mode=True)
    low = minimum_filter(values, (3, 3, 1), mode="nearest").repeat(2, axis=0).repeat(2, axis=1)
    high = maximum_filter(values, (3, 3, 1), mode="nearest").repeat(2, axis=0).repeat(2, axis=1)
    return smooth_strands(float32(np.clip(large, low, high)), 1.0)
