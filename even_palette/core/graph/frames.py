"""Every pixel of a frame: many by a compiled loop, few by the reference, which is done before a loop is compiled."""

from collections.abc import Mapping

import numpy as np

from even_palette.core.arrays import Floats, Samples
from even_palette.core.colour.srgb import linear_to_srgb
from even_palette.core.graph.fused import Frame, run_fused
from even_palette.core.graph.program import Program
from even_palette.core.graph.reference import Environment, run
from even_palette.core.graph.slots import Slot
from even_palette.core.jobs import CancelToken, Progress, silent
from even_palette.core.raster.plane import to_levels8

FEW_PIXELS = 1 << 16
PIXELS_AT_ONCE = 1 << 13
"""Of so many the reference keeps what every node of a program is."""


def run_frame(
    program: Program,
    slots: Mapping[str, Slot],
    inputs: Mapping[str, float | tuple[float, ...]],
    frame: Frame,
    stores: Mapping[str, str] | None = None,
    seed: float = 0.0,
    time: float = 0.0,
    progress: Progress = silent,
    cancel: CancelToken | None = None,
) -> dict[str, Samples]:
    """The outputs of a program at every pixel, (height, width, n); float32, or as `stores` says (see `run_fused`).

    Raises KeyError for an input or a slot that is missing, and Cancelled.
    """
    if frame.width * frame.height > FEW_PIXELS:
        return run_fused(program, slots, inputs, frame, stores, seed, time, progress, cancel)
    (across, down), uv, screen = frame.steps, frame.uv(), frame.screen()
    rows = max(1, PIXELS_AT_ONCE // frame.width)
    bands: dict[str, list[Samples]] = {name: [] for name in program.outputs}
    for first in range(0, frame.height, rows):
        if cancel is not None:
            cancel.check()
        part = slice(first, first + rows)
        around = Environment(uv[part], slots, inputs, seed, time, (across, 0.0, 0.0, down), screen[part])
        for name, values in run(program, around).items():
            texels = values[..., None] if values.ndim == 2 else values
            bands[name].append(_stored(texels, (stores or {}).get(name, "float")))
        progress(min(first + rows, frame.height) / frame.height, "Colours")
    return {name: np.concatenate(parts) for name, parts in bands.items()}


def _stored(values: Floats, how: str) -> Samples:
    if how == "float":
        return values
    return to_levels8(linear_to_srgb(np.clip(values, 0, 1)) if how == "encoded" else values)
