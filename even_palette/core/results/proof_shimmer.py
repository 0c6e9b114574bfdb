"""Shimmer as a number: how much colours change where a sheet, or the camera, moves by parts of a pixel."""

from itertools import combinations

import numpy as np

from even_palette.core.arrays import Samples, float32
from even_palette.core.colour.oklab import linear_to_oklab
from even_palette.core.jobs import CancelToken
from even_palette.core.material.outputs import COLOUR
from even_palette.core.results.far import SHIFTS, Seen
from even_palette.core.results.proof import Shipped
from even_palette.core.results.proof_values import Inputs, places_of, values_on

SIDE = 96
"""Pixels a side that are looked at."""


def shimmer_of(found: Shipped, inputs: Inputs, seen: Seen, cancel: CancelToken | None = None) -> Samples:
    """Of pixels, (n,), the largest OKLab distance x 100 between the colours that they have at SHIFTS. Raises Cancelled.

    What is brighter than white counts as white.
    """
    pixel, uv = seen.pixel(found.finest), places_of(found, seen, SIDE)
    labs = []
    for right, down in SHIFTS:
        moved = uv + float32((right * pixel[0], down * pixel[3]))
        colour = values_on(found, [COLOUR], inputs, moved, seen, cancel)[COLOUR].reshape(-1, 3)
        labs.append(linear_to_oklab(float32(np.clip(colour, 0, 1))))
    apart = [np.sqrt(np.square(one - other).sum(axis=-1)) for one, other in combinations(labs, 2)]
    return np.asarray(np.max(apart, axis=0)) * 100
