"""Playing a package's program with the NumPy reference."""

import numpy as np

from even_palette.core.arrays import Levels
from even_palette.core.colour.srgb import linear_to_srgb
from even_palette.core.errors import UserError
from even_palette.core.graph.reference import Environment, run
from even_palette.core.material.outputs import ALPHA, LIGHT
from even_palette.core.raster.plane import to_levels8
from even_palette.core.raster.sampling import pixel_numbers, texel_centres
from even_palette.player.load import Loaded, values_of

ROWS = 64


def play_reference(
    loaded: Loaded,
    variant: str,
    width: int,
    height: int,
    output: str = "colour",
    time: float = 0.0,
    seed: float = 0.0,
    twin: str = "",
) -> Levels:
    """Render an output of the sheet: (height, width, 3) uint8; light is encoded, numbers are grey. Colour of a sheet
    that is not drawn opaque has its alpha as a fourth channel.

    `time` is in seconds, `seed` that of the instance, 0..1; a `twin` of the sheet has values of its own.

    Raises UserError for a package that lacks inputs or the output.
    """
    inputs = values_of(loaded, variant, twin, time)
    loaded.output(output)
    uv = texel_centres(height, width)
    result = np.empty((height, width, 4 if loaded.has_alpha(output) else 3), dtype=np.uint8)
    try:
        for first in range(0, height, ROWS):
            part = uv[first : first + ROWS]
            pixel = (1 / width, 0.0, 0.0, 1 / height)
            screen = pixel_numbers(width, len(part), (0, first))
            environment = Environment(part, loaded.slots, inputs, seed, time, pixel, screen)
            found = run(loaded.program, environment)
            values = found[output]
            shown = linear_to_srgb(values) if output in LIGHT else values
            result[first : first + ROWS, :, :3] = to_levels8(shown if shown.ndim == 3 else shown[..., None])
            if loaded.has_alpha(output):
                result[first : first + ROWS, :, 3] = to_levels8(found[ALPHA])
    except (KeyError, IndexError) as error:
        raise UserError(f"package.json: the program uses {error}, which the package does not have.") from None
    return result
