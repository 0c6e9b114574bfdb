"""Remove specks: small patches of the mask go."""

import numpy as np

from even_palette.core.arrays import Floats
from even_palette.core.jobs import CancelToken
from even_palette.core.regions.patches import patches_in
from even_palette.core.regions.steps._declare import Group, StepKind, StepValue, Values

SOLID = 0.5
SIDES = ((-1, 0), (0, -1), (0, 1), (1, 0))
CORNERS = (*SIDES, (-1, -1), (-1, 1), (1, -1), (1, 1))


def specks(mask: Floats, values: Values, cancel: CancelToken | None = None, corners: bool = True) -> Floats:
    """The mask (H, W) without patches of fewer than `texels` texels. Raises Cancelled.

    A patch is what hangs together, over corners as well, of texels that are at least half in the mask. Its soft edge
    goes with it; mist, which is nowhere half in, goes where it is as small.
    """
    texels, solid = values["texels"], mask >= SOLID
    patches, wide = patches_in(solid, corners, cancel), patches_in(mask > 0, corners, cancel)
    small = patches.sizes < texels
    within = wide.at(patches.begins)
    holds, had = np.zeros(wide.count, dtype=bool), np.zeros(wide.count, dtype=bool)
    holds[within[~small[patches.patch]]] = True
    had[within[small[patches.patch]]] = True
    places, _ = patches.texels(small)
    mist, _ = wide.texels(~holds & (had | (wide.sizes < texels)))
    made, height, width = mask.copy(), *mask.shape
    made.ravel()[places] = 0
    made.ravel()[mist] = 0
    for down, across in CORNERS if corners else SIDES:
        rows, columns = places // width + down, places % width + across
        inside = (rows >= 0) & (rows < height) & (columns >= 0) & (columns < width)
        rows, columns = rows[inside], columns[inside]
        faint = ~solid[rows, columns]
        made[rows[faint], columns[faint]] = 0
    return made


STEP = StepKind(
    "specks",
    "Remove specks",
    "Takes patches away that are smaller than so many texels.",
    (StepValue("texels", "Smaller than", 64.0, 1.0, 65536.0, "Patches with fewer texels go.", "texels"),),
    whole=specks,
    group=Group.CLEAN,
    place=1,
)
