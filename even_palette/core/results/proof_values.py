"""Outputs of a material that ships, in numbers, at pixels of a sheet that is seen from close by, afar or at a slant."""

from collections.abc import Mapping, Sequence

import numpy as np

from even_palette.core.arrays import Floats, float32
from even_palette.core.graph.program import program_of
from even_palette.core.graph.reference import Environment, run
from even_palette.core.jobs import CancelToken
from even_palette.core.raster.sampling import pixel_numbers
from even_palette.core.results.far import Seen
from even_palette.core.results.proof import Shipped

MOST_SIDE = 256
"""Pixels a side that are looked at: of a larger sheet evenly spread ones."""
ROWS = 32

Inputs = Mapping[str, float | tuple[float, ...]]
"""Values of parameters by key, colours as linear light."""


def places_of(found: Shipped, seen: Seen, most: int = MOST_SIDE) -> Floats:
    """The middles of the pixels that are looked at, evenly spread, as uv (H, W, 2), at most so many a side."""
    pixel = seen.pixel(found.finest)
    u, v = (_middles(step, most) for step in (pixel[0], pixel[3]))
    return np.stack(np.broadcast_arrays(u[None, :], v[:, None]), axis=-1)


def _middles(step: float, most: int) -> Floats:
    """Along one side, for pixels of this size in uv: between them a map looks smoother than it is."""
    count = max(1, int(1 / step + 1e-6))
    few = min(count, most)
    return float32(((np.arange(few) + 0.5) * count / few).astype(np.int64) + 0.5) * np.float32(step)


def values_at(
    found: Shipped, names: Sequence[str], inputs: Inputs, seen: Seen, most: int = MOST_SIDE,
    cancel: CancelToken | None = None,
) -> dict[str, Floats]:  # fmt: skip
    """Outputs, each (H, W, channels) or (H, W), of at most so many pixels a side. Raises Cancelled."""
    return values_on(found, names, inputs, places_of(found, seen, most), seen, cancel)


def values_on(
    found: Shipped, names: Sequence[str], inputs: Inputs, uv: Floats, seen: Seen, cancel: CancelToken | None = None
) -> dict[str, Floats]:
    """Outputs at uv (H, W, 2), each (H, W, channels) or (H, W). Raises Cancelled."""
    pixel = seen.pixel(found.finest)
    program = program_of({name: found.outputs[name] for name in names})
    parts = []
    for first in range(0, len(uv), ROWS):
        if cancel:
            cancel.check()
        some = uv[first : first + ROWS]
        screen = pixel_numbers(uv.shape[1], len(some), (0, first))
        parts.append(run(program, Environment(some, found.slots, inputs, 0.0, 0.0, pixel, screen)))
    return {name: np.concatenate([part[name] for part in parts]) for name in names}
