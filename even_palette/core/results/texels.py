"""What is told of a texel: exact values of a look by the reference, with weights and the sum of masks."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from even_palette.core.arrays import float32
from even_palette.core.colour.hexcode import Rgb8
from even_palette.core.colour.srgb import srgb_to_linear
from even_palette.core.graph.reference import run
from even_palette.core.kit.model import Focus
from even_palette.core.results.looks import LOOKS, Look, picture
from even_palette.core.results.pictures import SHOWN, environment_of, texel_centres_at
from even_palette.core.results.store import Store
from even_palette.core.results.weights import MOST_MASK_SUM, weights_of


@dataclass(frozen=True)
class Texel:
    """What the loupe tells of one uv: colour (encoded and linear), the masks' outcome as shipped, surface values.

    `entry` is the number of the palette's entry that an index map shows there, with its colour; None of other looks.
    """

    encoded: tuple[float, float, float]
    linear: tuple[float, float, float]
    weights: tuple[float, ...]
    mask_sum: float
    surface: Mapping[str, tuple[float, ...]]
    entry: tuple[int, Rgb8] | None = None


def read_texel(
    at: Focus, store: Store, look: Look, uv: tuple[float, float], time: float = 0.0, seed: float = 0.0
) -> Texel:
    """Exact values at a texel by the reference, at a time in seconds and of the instance with a seed.

    Raises UserError if a map cannot be read.
    """
    shown = replace(picture(at, store, look), time=time, seed=seed)
    centre = texel_centres_at(float32([[uv]]), shown)
    texel = (1 / shown.finest[0], 0.0, 0.0, 1 / shown.finest[1])
    values = {name: value[0, 0] for name, value in run(shown.program, environment_of(shown, centre, texel)).items()}
    encoded = values.pop(SHOWN)
    weights = weights_of(at, store)
    height, width = weights.mask_sum.height, weights.mask_sum.width
    row, column = min(int(uv[1] * height), height - 1), min(int(uv[0] * width), width - 1)
    linear = srgb_to_linear(encoded)
    return Texel(
        (float(encoded[0]), float(encoded[1]), float(encoded[2])),
        (float(linear[0]), float(linear[1]), float(linear[2])),
        weights.at(row, column),
        float(weights.mask_sum.fetch(np.array([row]), np.array([column]))[0, 0]) * MOST_MASK_SUM,
        {name: tuple(float(part) for part in np.atleast_1d(value)) for name, value in values.items()},
        LOOKS[look.kind].entry_at(at, store, look, uv),
    )
