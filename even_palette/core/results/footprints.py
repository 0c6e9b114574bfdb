"""Which faces the texels of a sheet show, where they lie on the mesh, and how UVs lie on the sheet.

Modules with compiled loops are imported where they are used: they take half a second at start.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from even_palette.core.jobs import CancelToken, Progress, silent
from even_palette.core.kit.model import Focus
from even_palette.core.mesh.footprint import Footprint, footprint
from even_palette.core.results.sheet_mesh import mesh_on_sheet
from even_palette.core.results.store import Store

if TYPE_CHECKING:
    from even_palette.core.mesh.raster import Layout
    from even_palette.core.mesh.texels import SurfaceTexels

FINE_SAMPLES, COARSE_SAMPLES = 4, 2
FINEST_SIZE = 2048
MOST_FINE_FACES = 300_000


def footprint_of(
    at: Focus, store: Store, width: int, height: int, progress: Progress = silent, cancel: CancelToken | None = None
) -> Footprint | None:
    """Which faces the texels of the sheet show, at this size; None without a mesh."""
    found = mesh_on_sheet(at, store)
    if found is None:
        return None
    fine = max(width, height) <= FINEST_SIZE and found.mesh.face_count <= MOST_FINE_FACES
    samples = FINE_SAMPLES if fine else COARSE_SAMPLES
    padding = at.sheet.padding

    def make() -> Footprint:
        return footprint(found.uv, width, height, samples, padding, progress, cancel)

    key = ("footprint", found.content_id, width, height, samples, padding)
    return store.cache.get_lasting(Footprint, key, make)


def surface_of(
    at: Focus, store: Store, width: int, height: int, progress: Progress = silent, cancel: CancelToken | None = None
) -> SurfaceTexels | None:
    """Where on the mesh the texels of the sheet lie, at this size; None without a mesh."""
    found = mesh_on_sheet(at, store)
    if found is None:
        return None

    def make() -> SurfaceTexels:
        from even_palette.core.mesh.texels import surface_texels

        seen = footprint_of(at, store, width, height, progress, cancel)
        assert seen is not None
        return surface_texels(found.mesh, found.uv, seen)

    return store.cache.get(("surface", found.content_id, width, height, at.sheet.padding), make)


def layout_of(at: Focus, store: Store, width: int, height: int) -> Layout | None:
    """How the UVs of the sheet lie; None without a mesh."""
    from even_palette.core.mesh.raster import layout

    found, seen = mesh_on_sheet(at, store), footprint_of(at, store, width, height)
    if found is None or seen is None:
        return None
    return store.cache.get(("layout", found.content_id, width, height), lambda: layout(found.uv, seen.claims))
