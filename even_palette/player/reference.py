"""Playing a package's graph with the NumPy reference."""

import numpy as np

from even_palette.core.arrays import Levels
from even_palette.core.colour.srgb import linear_to_srgb
from even_palette.core.errors import UserError
from even_palette.core.graph.reference import Environment, evaluate
from even_palette.core.raster.plane import to_levels8
from even_palette.core.raster.sampling import texel_centres
from even_palette.player.load import Loaded, values_of

ROWS = 64


def play_reference(loaded: Loaded, variant: str, width: int, height: int) -> Levels:
    """Render the sheet without mips: (height, width, 3) uint8, encoded.

    Raises UserError for a package that lacks inputs.
    """
    inputs = values_of(loaded, variant)
    uv = texel_centres(height, width)
    result = np.empty((height, width, 3), dtype=np.uint8)
    try:
        for first in range(0, height, ROWS):
            environment = Environment(uv[first : first + ROWS], loaded.planes, inputs)
            result[first : first + ROWS] = to_levels8(linear_to_srgb(evaluate(loaded.graph, environment)))
    except KeyError as error:
        raise UserError(f"package.json: the graph uses {error}, which the package does not have.") from None
    return result
