"""Maps of a sheet padded beyond the UV islands of its mesh: what is painted there does not reach the islands' mips.

Modules with compiled loops are imported where they are used: they take half a second at start.
"""

import numpy as np

from even_palette.core.arrays import Floats, Samples
from even_palette.core.kit.model import Focus
from even_palette.core.limits import MOST_PADDING
from even_palette.core.raster.plane import Plane
from even_palette.core.results.sheet_mesh import mesh_on_sheet
from even_palette.core.results.store import Store


def padded(at: Focus, store: Store, plane: Plane) -> Plane:
    """A map that lies over a sheet, padded as its regions are where the sheet says so; as it is without a mesh."""
    return beyond_islands(at, store, plane, at.sheet.padding) if at.sheet.pad_maps else plane


def padding_name(at: Focus, store: Store) -> tuple[object, ...]:
    """Names what `padded` does to maps of a sheet; () where it does nothing."""
    found = mesh_on_sheet(at, store) if at.sheet.pad_maps else None
    return () if found is None else (found.content_id, at.sheet.padding)


def beyond_islands(at: Focus, store: Store, plane: Plane, texels: int) -> Plane:
    """A plane whose texels beyond islands, up to so many, are those of the nearest that has its centre in one; all of
    them from MOST_PADDING on. Edges that reach over less than half of a texel count as beyond.
    """
    found = mesh_on_sheet(at, store)
    if found is None or texels == 0:
        return plane
    size = plane.width, plane.height
    nearest = ("nearest in an island", found.content_id, size, texels)

    def spread_out() -> Plane:
        from even_palette.core.mesh.padding import spread

        taken = store.cache.get(nearest, lambda: _nearest(found.uv, *size, texels))
        return Plane(spread(plane.samples, taken), plane.encoding)

    return store.cache.get(("padded", plane.content_id, *nearest), spread_out)


def _nearest(uv: Floats, width: int, height: int, texels: int) -> Samples:
    """Which texel each takes its value from, as `mesh/padding.nearest_covered` gives it; islands may be far away."""
    from scipy.ndimage import distance_transform_edt

    from even_palette.core.mesh.padding import nearest_covered
    from even_palette.core.mesh.raster import rasterize

    covered = rasterize(uv, width, height).covered
    if not covered.any():
        return np.full(covered.shape, -1, np.int32)
    if texels < MOST_PADDING:
        return nearest_covered(covered, texels)
    rows, columns = distance_transform_edt(~covered, return_distances=False, return_indices=True)
    return np.asarray(rows * width + columns, dtype=np.int32)
