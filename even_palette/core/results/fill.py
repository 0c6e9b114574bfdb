"""What a fill means: the texels that are like the one under the cursor, or those of its region or mesh element."""

from enum import StrEnum

import numpy as np

from even_palette.core.arrays import Bools
from even_palette.core.colour.srgb import linear_to_srgb
from even_palette.core.errors import UserError
from even_palette.core.kit.model import Focus
from even_palette.core.mesh.kinds import ElementKind
from even_palette.core.raster.sampling import Sampler, sample, texel_centres
from even_palette.core.results.footprints import surface_of
from even_palette.core.results.maps import paint_of
from even_palette.core.results.masks import mask_of
from even_palette.core.results.painting import like_texels
from even_palette.core.results.sheet_mesh import elements_of
from even_palette.core.results.store import Store
from even_palette.core.results.weights import weights_of


class Limit(StrEnum):
    """Where a stroke may go: anywhere, or only where it began."""

    NONE = "none"
    ISLAND = "island"
    SHELL = "shell"
    FACE = "face"
    REGION = "region"


KINDS = {Limit.ISLAND: ElementKind.ISLAND, Limit.SHELL: ElementKind.SHELL, Limit.FACE: ElementKind.FACE}


def texels_like(
    at: Focus, store: Store, texel: tuple[int, int], size: tuple[int, int], limit: Limit, tolerance: float
) -> Bools:
    """The texels (H, W) of masks of this size that a fill from a texel means; for workers.

    Raises UserError where there is no face of the mesh.
    """
    height, width = size
    if limit == Limit.NONE:
        colour = sample(paint_of(at, store), texel_centres(height, width), Sampler())[..., :3]
        return like_texels(linear_to_srgb(colour), *texel, tolerance)
    if limit == Limit.REGION:
        key = region_at(at, store, *texel)
        mask = mask_of(at, store, key).samples[..., 0] if key else np.zeros((height, width))
        return np.asarray(mask > 32767)
    surface = surface_of(at, store, width, height)
    face = int(surface.face[texel]) if surface is not None else -1
    if surface is None or face < 0:
        raise UserError("There is no face of the mesh under the cursor to fill.")
    labels = elements_of(at, store, KINDS[limit]).labels
    faces = labels == labels[face]
    return np.asarray(faces[surface.face] & (surface.face >= 0))


def region_at(at: Focus, store: Store, row: int, column: int) -> str:
    """The region that has most of a texel; "" where none has half."""
    weights = weights_of(at, store).at(row, column)
    best = max(range(len(weights)), key=lambda i: weights[i], default=-1)
    return at.sheet.regions[best].key if best >= 0 and weights[best] >= 0.5 else ""
