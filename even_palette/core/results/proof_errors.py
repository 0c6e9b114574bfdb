"""The errors of results under the conditions of a sheet: each output of each variant, at several distances."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from even_palette.core.arrays import Floats, Samples
from even_palette.core.graph.program import program_of
from even_palette.core.graph.reference import Environment, run
from even_palette.core.jobs import CancelToken, Progress, silent
from even_palette.core.kit.model import Focus
from even_palette.core.material.outputs import ALPHA, LIGHT, NORMAL, OUTPUTS
from even_palette.core.proof.conditions import Conditions
from even_palette.core.proof.errors import (
    Measure,
    Spread,
    angle_errors,
    colour_errors,
    number_errors,
    spread_of,
)
from even_palette.core.raster.sampling import pixel_numbers, texel_centres
from even_palette.core.results.proof import Shipped, shipped, under
from even_palette.core.results.store import Store

MOST_SIDE = 256
"""Pixels a side that are compared at each distance: of a larger sheet evenly spread ones."""
DISTANCES = (1, 2, 4, 8)
ROWS = 32

Inputs = Mapping[str, float | tuple[float, ...]]
"""Values of parameters by key, colours as linear light."""


@dataclass(frozen=True)
class ResultErrors:
    """The errors of one output of a variant, by its key, at a distance: so many texels of the finest map a pixel.

    `spread` is in the `measure`; colours are in `oklab` x 100, too.
    """

    variant: str
    output: str
    distance: int
    measure: Measure
    spread: Spread
    oklab: Spread | None = None


def errors_of_results(
    at: Focus, store: Store, variants: Sequence[str], conditions: Conditions | None = None,
    distances: Sequence[int] = DISTANCES, progress: Progress = silent, cancel: CancelToken | None = None,
) -> list[ResultErrors]:  # fmt: skip
    """Every output of variants, by key, under the conditions of a sheet, or others, beside what is meant.

    At a distance both are sampled from the mips that fit. Raises UserError for maps that cannot be read, and Cancelled.
    """
    meant = shipped(at, store)
    shown = under(conditions or at.sheet.conditions, meant, store, cancel)
    found = []
    for number, variant in enumerate(variants):
        for step, distance in enumerate(distances):
            progress((number + step / len(distances)) / max(len(variants), 1), at.kit.variant_names[variant])
            found += _errors(at, meant, shown, variant, distance, cancel)
    progress(1.0, "Done")
    return found


def _errors(
    at: Focus, meant: Shipped, shown: Shipped, variant: str, distance: int, cancel: CancelToken | None
) -> list[ResultErrors]:
    names = [name for name in meant.outputs if name != ALPHA]
    values = [values_at(each, names, each.inputs(at, variant), distance, cancel=cancel) for each in (meant, shown)]
    uv = _places(meant, distance, MOST_SIDE)
    places, found = uv.reshape(-1, 2), []
    for name in names:
        measure, off, oklab = errors_of(name, *(part[name] for part in values))
        apart = None if oklab is None else spread_of(oklab, places)
        found.append(ResultErrors(variant, name, distance, measure, spread_of(off, places), apart))
    return found


def errors_of(output: str, meant: Floats, shown: Floats) -> tuple[Measure, Samples, Samples | None]:
    """How far values of an output, (..., n) or (...) for one channel, are off: in which measure, the errors (m,), and
    for colours those in OKLab x 100, too.
    """
    lanes = len(OUTPUTS[output].default)
    one, other = meant.reshape(-1, lanes), shown.reshape(-1, lanes)
    if output in LIGHT:
        return Measure.CIEDE2000, *colour_errors(one, other)
    if output == NORMAL:
        return Measure.ANGLE, angle_errors(one, other), None
    return Measure.PERCENT, number_errors(one, other).max(axis=-1), None


def _places(found: Shipped, distance: int, most: int) -> Floats:
    """The pixels that are looked at, by uv, evenly spread: (H, W, 2), at most so many a side."""
    width, height = (max(1, side // distance) for side in found.finest)
    return texel_centres(min(height, most), min(width, most))


def values_at(
    found: Shipped, names: Sequence[str], inputs: Inputs, distance: int, most: int = MOST_SIDE,
    cancel: CancelToken | None = None,
) -> dict[str, Floats]:  # fmt: skip
    """Outputs at a distance, each (H, W, channels) or (H, W), of at most so many pixels a side. Raises Cancelled."""
    return values_on(found, names, inputs, _places(found, distance, most), distance, cancel)


def values_on(
    found: Shipped, names: Sequence[str], inputs: Inputs, uv: Floats, distance: int, cancel: CancelToken | None = None
) -> dict[str, Floats]:
    """Outputs at uv (H, W, 2), each (H, W, channels) or (H, W), of pixels of so many texels. Raises Cancelled."""
    width, height = (max(1, side // distance) for side in found.finest)
    pixel = (1 / width, 0.0, 0.0, 1 / height)
    program = program_of({name: found.outputs[name] for name in names})
    parts = []
    for first in range(0, len(uv), ROWS):
        if cancel:
            cancel.check()
        some = uv[first : first + ROWS]
        screen = pixel_numbers(uv.shape[1], len(some), (0, first))
        parts.append(run(program, Environment(some, found.slots, inputs, 0.0, 0.0, pixel, screen)))
    return {name: np.concatenate([part[name] for part in parts]) for name in names}
