"""What is the same at every texel, such as sines of parameters: worked out once before drawing, or once a vertex."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from even_palette.core.arrays import float32
from even_palette.core.graph.program import LOOK_UPS, Program
from even_palette.core.graph.reference import Environment, run
from even_palette.core.graph.types import CHANNELS, in_vectors

DEAR = ("sin", "cos", "pow", "log2")
VALUES, SAME = ("parameter", "constant"), ("parameter", "constant", "seed", "time")
"""What such a value starts from; a window that draws many instances works out what hangs on values alone."""
FREE = (*SAME, "join", "swizzle")
LEAST_OPERATIONS = 2
"""So much must be saved for a value to be handed over from vertices."""
MOST_VECTORS = 8
"""Of those that GLSL ES 3.00 has for what vertices hand over (15); the rest is the host's. What does not fit is worked
out at each texel."""


@dataclass(frozen=True)
class Setup:
    """A program whose outputs, v0 and so on, are the same at every texel.

    `places` says by the node of the whole program in which vector of four its value lies, and in which channels.
    """

    program: Program
    places: Mapping[int, tuple[int, str]]
    outputs: Mapping[int, str]

    @property
    def vectors(self) -> int:
        """How many vectors of four the values take."""
        return 1 + max((vector for vector, _ in self.places.values()), default=-1)


@lru_cache(maxsize=64)
def setup_of(program: Program, cheap: bool = False) -> Setup:
    """What of a program can be worked out before drawing: what costs much, or `cheap` things too, by vertices."""
    starts = SAME if cheap else VALUES
    same: list[bool] = []
    dear: list[bool] = []
    for record in program.records:
        of_same = bool(record.args) and all(same[arg] for arg in record.args) and record.op not in LOOK_UPS
        same.append(record.op in starts or of_same)
        dear.append(record.op in DEAR or any(dear[arg] for arg in record.args))
    used = {arg for at, record in enumerate(program.records) if not same[at] for arg in record.args}
    used |= set(program.outputs.values())
    costs = {at: _operations(program, at) for at in used if same[at]}
    worth = [at for at, cost in costs.items() if dear[at] or (cheap and cost >= LEAST_OPERATIONS)]
    worth.sort(key=lambda at: (not dear[at], -costs[at], at))
    places = _places(program, worth)
    while cheap and places and max(vector for vector, _ in places.values()) >= MOST_VECTORS:
        worth.pop()
        places = _places(program, worth)
    outputs = {at: f"v{number}" for number, at in enumerate(places)}
    alone = Program(program.records, {name: at for at, name in outputs.items()}).only(outputs.values())
    return Setup(alone, places, outputs)


def _places(program: Program, chosen: Iterable[int]) -> dict[int, tuple[int, str]]:
    """In which vector, and in which channels of it, each value lies."""
    return in_vectors({at: program.records[at].type for at in sorted(chosen)})


def _operations(program: Program, at: int) -> int:
    """How many operations lie below a node."""
    seen, stack = set[int](), [at]
    while stack:
        one = stack.pop()
        if one not in seen:
            seen.add(one)
            stack += program.records[one].args
    return sum(program.records[one].op not in FREE for one in seen)


def setup_values(
    program: Program, inputs: Mapping[str, float | tuple[float, ...]]
) -> dict[str, tuple[float, float, float, float]]:
    """The vectors by name, setup_0 and so on, for these values of the parameters."""
    setup = setup_of(program)
    if not setup.places:
        return {}
    found = run(setup.program, Environment(float32([[[0.0, 0.0]]]), {}, inputs))
    vectors = np.zeros((setup.vectors, len(CHANNELS)))
    for at, (vector, channels) in setup.places.items():
        first = CHANNELS.index(channels[0])
        vectors[vector, first : first + len(channels)] = np.ravel(found[setup.outputs[at]])
    return {f"setup_{number}": (x, y, z, w) for number, (x, y, z, w) in enumerate(vectors.tolist())}
