"""Parameters that bring out, at an end of their range, what a runtime leaves out."""

from collections.abc import Iterator
from functools import partial

import numpy as np

from even_palette.core.arrays import float32
from even_palette.core.checks._finding import Finding, Severity
from even_palette.core.checks._proof import as_meant, meant_of
from even_palette.core.jobs import CancelToken
from even_palette.core.kit.model import Focus
from even_palette.core.material.model import Parameter, ValueKind
from even_palette.core.material.outputs import COLOUR
from even_palette.core.material.variants import MASTER
from even_palette.core.proof.errors import colour_errors
from even_palette.core.results.far import CLOSE
from even_palette.core.results.proof import Shipped, under
from even_palette.core.results.proof_values import Inputs, values_at
from even_palette.core.results.sheets import Sheets

SIDE, MOST_PARAMETERS, MOST_TOLD = 64, 64, 3
SEEN, TIMES = 5.0, 2.0
"""CIEDE2000 that 99 of 100 pixels stay below: one that is seen at a glance (common practice), and so many times what
it is at the default."""


def check(at: Focus, sheets: Sheets, cancel: CancelToken | None) -> Iterator[Finding]:
    """The colour under the conditions of a sheet beside what is meant, at both ends of each number's range.

    Raises Cancelled.
    """
    if (meant := meant_of(at, sheets)) is None or COLOUR not in meant.outputs:
        return
    shown = under(at.sheet.conditions, meant, sheets, cancel)

    def error(found: Shipped, inputs: Inputs) -> float:
        one, other = (
            float32(values_at(each, [COLOUR], inputs, CLOSE, SIDE, cancel)[COLOUR].reshape(-1, 3))
            for each in (meant, found)
        )
        return float(np.percentile(colour_errors(one, other)[0], 99))

    given = meant.inputs(at, MASTER)
    numbers = [each for each in meant.material.parameters if each.kind == ValueKind.NUMBER][:MOST_PARAMETERS]
    usual = error(shown, given) if numbers else 0.0
    worst = list[tuple[float, float, Parameter]]()
    for parameter in numbers:
        ends = [(error(shown, {**given, parameter.key: end}), end) for end in (parameter.low, parameter.high)]
        worst.append((*max(ends), parameter))
    seen = max(SEEN, TIMES * usual)
    for off, end, parameter in sorted(worst, key=lambda each: -each[0])[:MOST_TOLD]:
        if off >= seen:
            there = {**given, parameter.key: end}
            yield Finding(
                "Proof", Severity.WARNING,
                f"With {parameter.name} at {end:g}{parameter.unit} the colour is off by {off:.1f} ΔE on one pixel of a "
                f"hundred; at its default that is {usual:.1f}. Better maps, or a smaller range, help.",
                look="runtime",
                mend=as_meant(at, meant, partial(error, inputs=there), seen, sheets, cancel),
            )  # fmt: skip
