"""UVs for a mesh that has none."""

from dataclasses import replace

import numpy as np

from even_palette.core.arrays import float32
from even_palette.core.errors import UserError
from even_palette.core.mesh.model import Mesh

MOST_FACES = 500_000
GAP_TEXELS = 8


def unwrapped(mesh: Mesh, size: int = 1024) -> Mesh:
    """The mesh with one UV set made by xatlas, packed into one tile with gaps of 8 texels at this size.

    Raises UserError for a mesh that is too large for it.
    """
    import xatlas

    if mesh.face_count > MOST_FACES:
        raise UserError(f"A mesh of {mesh.face_count} faces is too large to be unwrapped; the limit is {MOST_FACES}.")
    atlas = xatlas.Atlas()
    atlas.add_mesh(mesh.points, mesh.faces.astype(np.uint32))
    packing = xatlas.PackOptions()
    packing.padding, packing.resolution, packing.bruteForce = GAP_TEXELS, size, False
    atlas.generate(pack_options=packing)
    _, faces, uv = atlas[0]
    if len(faces) != mesh.face_count:
        raise UserError("The mesh could not be unwrapped: faces without area are in the way; remove them first.")
    return replace(mesh, uv_sets=(float32(uv)[faces],), known_id=f"{mesh.content_id}:unwrapped{size}")
