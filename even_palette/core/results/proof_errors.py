"""The errors of results under the conditions of a sheet: each output of each variant, at several distances."""

from collections.abc import Sequence
from dataclasses import dataclass

from even_palette.core.arrays import Floats, Samples
from even_palette.core.jobs import CancelToken, Progress, silent
from even_palette.core.kit.model import Focus
from even_palette.core.material.outputs import ALPHA, COLOUR, LIGHT, NORMAL, OUTPUTS
from even_palette.core.proof.conditions import Conditions
from even_palette.core.proof.errors import (
    Measure,
    Spread,
    angle_errors,
    colour_errors,
    number_errors,
    spread_of,
)
from even_palette.core.results.far import Seen
from even_palette.core.results.proof import Shipped, shipped, under
from even_palette.core.results.proof_shimmer import shimmer_of
from even_palette.core.results.proof_values import places_of, values_at
from even_palette.core.results.store import Store

DISTANCES = (1, 2, 4, 8)


@dataclass(frozen=True)
class ResultErrors:
    """The errors of one output of a variant, by its key, at a distance: so many texels of the finest map a pixel, and
    down `slant` times as many (see `far.Seen`).

    `spread` is in the `measure`; colours are in `oklab` x 100, too, and have their shimmer, as it is and as it is meant
    (see `shimmer_of`).
    """

    variant: str
    output: str
    distance: int
    measure: Measure
    spread: Spread
    oklab: Spread | None = None
    shimmer: tuple[float, float] | None = None
    slant: int = 1


def errors_of_results(
    at: Focus, store: Store, variants: Sequence[str], conditions: Conditions | None = None,
    distances: Sequence[int] = DISTANCES, progress: Progress = silent, cancel: CancelToken | None = None,
    slant: int = 1,
) -> list[ResultErrors]:  # fmt: skip
    """Every output of variants, by key, under the conditions of a sheet, or others, beside what is meant.

    At a distance, and at a `slant`, both are sampled from the mips that fit. Raises UserError for maps that cannot be
    read, and Cancelled.
    """
    meant = shipped(at, store)
    shown = under(conditions or at.sheet.conditions, meant, store, cancel)
    found = []
    for number, variant in enumerate(variants):
        for step, distance in enumerate(distances):
            progress((number + step / len(distances)) / max(len(variants), 1), at.kit.variant_names[variant])
            found += _errors(at, meant, shown, variant, Seen(distance, slant), cancel)
    progress(1.0, "Done")
    return found


def _errors(
    at: Focus, meant: Shipped, shown: Shipped, variant: str, seen: Seen, cancel: CancelToken | None
) -> list[ResultErrors]:
    names = [name for name in meant.outputs if name != ALPHA]
    inputs = meant.inputs(at, variant)
    values = [values_at(each, names, inputs, seen, cancel=cancel) for each in (meant, shown)]
    places, found = places_of(meant, seen).reshape(-1, 2), []
    for name in names:
        measure, off, oklab = errors_of(name, *(part[name] for part in values))
        apart = None if oklab is None else spread_of(oklab, places)
        moved = None
        if name == COLOUR:
            ours, wanted = (float(shimmer_of(each, inputs, seen, cancel).mean()) for each in (shown, meant))
            moved = ours, wanted
        spread = spread_of(off, places)
        found.append(ResultErrors(variant, name, seen.distance, measure, spread, apart, moved, seen.slant))
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
