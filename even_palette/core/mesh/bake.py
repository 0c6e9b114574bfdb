"""Making a bake: values carried from corners to texels in bands of rows, averaged, padded and stored."""

from concurrent.futures import ThreadPoolExecutor
from os import cpu_count

import numpy as np

from even_palette.core.arrays import Bools, Floats, Samples, float32
from even_palette.core.jobs import CancelToken, Progress, silent
from even_palette.core.mesh.baked import Baked
from even_palette.core.mesh.bakes._declare import BakeKind, Ground
from even_palette.core.mesh.footprint import sample_places
from even_palette.core.mesh.padding import nearest_covered, spread
from even_palette.core.mesh.raster import carry_rows, fill_rows, snapped
from even_palette.core.settings import Settings

BAND_ROWS, TRACED_ROWS = 64, 16
SIZES = (256, 512, 1024, 2048, 4096, 8192)


def make_bake(
    kind: BakeKind,
    ground: Ground,
    settings: Settings,
    size: int,
    padding: int,
    samples_a_side: int = 1,
    progress: Progress = silent,
    cancel: CancelToken | None = None,
) -> Baked:
    """Bake a mesh into a square of `size` texels; background within `padding` texels takes the nearest value.

    Texels without any have the kind's background. Raises UserError, or Cancelled.
    """
    filled = kind.settings(settings)
    corners = np.ascontiguousarray(kind.corners(ground, filled), dtype=np.float32)
    at, uv = snapped(ground.uv, size, size), ground.uv.astype(np.float64)
    most = (1 << kind.bits) - 1
    dtype = np.uint8 if kind.bits == 8 else np.uint16
    out = np.full((size, size, kind.channels), round(kind.background * most), dtype=dtype)
    covered = np.zeros((size, size), dtype=bool)
    places = sample_places(1 if kind.index_like else samples_a_side)
    places = places if len(places) == 1 else places[1:]
    if "rays" in filled:
        filled["rays"] = max(4.0, round(float(filled["rays"]) / len(places)))

    trace = kind.tracer(ground, filled) if kind.tracer else None
    rows_a_band = TRACED_ROWS if trace else BAND_ROWS

    def fill(first: int) -> None:
        last = min(first + rows_a_band, size)
        total = np.zeros((last - first, size, kind.channels), dtype=np.float32)
        count = np.zeros((last - first, size), dtype=np.float32)
        for number, place in enumerate(places):
            if cancel:
                cancel.check()
            faces = fill_rows(at, size, first, last, place)
            shown = faces >= 0
            if not shown.any():
                continue
            values = carry_rows(corners, uv, faces, first, size, place)
            if trace:
                rows, columns = np.nonzero(shown)
                numbers = ((rows + first) * size + columns) * len(places) + number
                values = _scattered(trace(values, numbers, cancel), shown)
            else:
                values = _scattered(values, shown)
            total += values
            count += shown
        known = count > 0
        mean = total[known] / count[known][:, None]
        out[first:last][known] = np.clip(mean * most + 0.5, 0, most).astype(dtype)
        covered[first:last] = known

    bands = range(0, size, rows_a_band)
    progress(0, kind.label)
    with ThreadPoolExecutor(cpu_count() or 1) as pool:
        for done, _ in enumerate(pool.map(fill, bands), 1):
            progress(done / (len(bands) + 1), kind.label)
    radius = int(filled.get("smooth", 0))
    if radius:
        out = _without_noise(out, ground, at, uv, size, radius, most, cancel)
    nearest = nearest_covered(covered, padding)
    lost = int((covered & ~out.any(axis=-1)).sum()) if kind.counts_lost else 0
    return Baked(spread(out, nearest), int(covered.sum()), lost)


def _without_noise(
    out: Samples,
    ground: Ground,
    at: Samples,
    uv: Samples,
    size: int,
    radius: int,
    most: int,
    cancel: CancelToken | None,
) -> Samples:
    """The stored values smoothed over so many texels, within islands and along the surface."""
    islands = np.full((size, size), -1, dtype=np.int64)
    normals = np.zeros((size, size, 3), dtype=np.float32)
    corners = np.ascontiguousarray(ground.mesh.normals, dtype=np.float32)
    labels = ground.islands()
    for first in range(0, size, BAND_ROWS):
        last, place = min(first + BAND_ROWS, size), (0.5, 0.5)
        faces = fill_rows(at, size, first, last, place)
        shown = faces >= 0
        if shown.any():
            islands[first:last][shown] = labels[faces[shown]]
            normals[first:last] = _scattered(carry_rows(corners, uv, faces, first, size, place), shown)
    length = np.linalg.norm(normals, axis=-1, keepdims=True)
    normals = float32(normals / np.where(length > 0, length, 1))
    from even_palette.core.mesh.smoothing import smoothed

    values = smoothed(float32(out), islands, normals, radius, cancel)
    return np.asarray(np.clip(values + 0.5, 0, most), dtype=out.dtype)


def _scattered(values: Floats, shown: Bools) -> Floats:
    whole = np.zeros((*shown.shape, values.shape[1]), dtype=np.float32)
    whole[shown] = values
    return whole
