"""Remove specks: small patches of the mask go."""

import numpy as np

from even_palette.core.arrays import Bools, Floats, float32
from even_palette.core.regions.steps._declare import StepKind, StepValue, Values

SOLID = 0.5
CORNERS = np.ones((3, 3), dtype=bool)
SIDES = np.array([[0, 1, 0], [1, 1, 1], [0, 1, 0]], dtype=bool)


def small_patches(chosen: Bools, texels: float, touching: Bools) -> Bools:
    """Patches of fewer than `texels` chosen texels (H, W); `touching` says which neighbours are one patch."""
    from scipy.ndimage import label

    patches, _ = label(chosen, touching)
    sizes = np.bincount(patches.ravel())
    small = sizes < texels
    small[0] = False
    return np.asarray(small[patches])


def specks(mask: Floats, values: Values, touching: Bools = CORNERS) -> Floats:
    """The mask (H, W) without patches of fewer than `texels` texels.

    A patch is what hangs together, over corners as well, of texels that are at least half in the mask. Its soft edge
    goes with it; mist, which is nowhere half in, goes where it is as small.
    """
    from scipy.ndimage import binary_dilation, label

    solid = mask >= SOLID
    small = small_patches(solid, values["texels"], touching)
    wide, count = label(mask > 0, touching)
    holds = np.zeros(count + 1, dtype=bool)
    holds[wide[solid & ~small]] = True
    faint = ~holds & (np.bincount(wide.ravel(), weights=(solid & ~small).ravel(), minlength=count + 1) == 0)
    tiny = np.bincount(wide.ravel(), minlength=count + 1) < values["texels"]
    had = np.zeros(count + 1, dtype=bool)
    had[wide[small]] = True
    gone = small | (faint & (tiny | had))[wide]
    if small.any():
        gone |= binary_dilation(small, touching) & ~solid
    return float32(np.where(gone, 0, mask))


STEP = StepKind(
    "specks",
    "Remove specks",
    "Takes patches away that are smaller than so many texels.",
    (StepValue("texels", "Smaller than", 64.0, 1.0, 65536.0, "Patches with fewer texels go.", "texels"),),
    whole=specks,
)
