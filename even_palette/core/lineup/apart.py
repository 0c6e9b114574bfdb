"""How well colours can be told apart, also with a colour-vision deficiency, and colours moved so that they can."""

from dataclasses import dataclass

import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.colour.ciede2000 import ciede2000
from even_palette.core.colour.cielab import linear_to_cielab
from even_palette.core.colour.deficiency import VISIONS, seen_with
from even_palette.core.colour.srgb import srgb_to_linear
from even_palette.core.jobs import CancelToken, Progress, silent

STARTS, MOST_STEPS = 4, 40
SHARPNESS = (0.15, 0.5, 1.5, 4.0)
"""How closely the soft minimum that is climbed follows the least difference, in turn."""
STEP = 1e-3


@dataclass(frozen=True)
class Pair:
    """Two colours by number, and their CIEDE2000 under each of VISIONS."""

    one: int
    other: int
    differences: tuple[float, ...]

    @property
    def least(self) -> float:
        """Their difference for those who see it least."""
        return min(self.differences)


def differences(linear: Floats, severity: float = 1.0) -> Samples:
    """CIEDE2000 between all of some linear colours (..., n, 3), under each of VISIONS: (4, ..., n, n)."""
    found = []
    for vision in VISIONS:
        lab = linear_to_cielab(seen_with(linear, vision, severity))
        found.append(ciede2000(lab[..., :, None, :], lab[..., None, :, :]))
    return np.stack(found)


def closest_pairs(between: Samples) -> list[Pair]:
    """All pairs of n colours by their differences (4, n, n), those that are hardest to tell apart first."""
    first, second = np.triu_indices(between.shape[-1], 1)
    each = between[:, first, second]
    order = np.argsort(each.min(axis=0), kind="stable")
    return [Pair(int(first[at]), int(second[at]), tuple(map(float, each[:, at]))) for at in order]


def least_difference(encoded: Floats, severity: float = 1.0) -> float:
    """The least CIEDE2000 between any two encoded sRGB colours (n, 3), under any vision; 0 for fewer than two."""
    pairs = closest_pairs(differences(srgb_to_linear(float32(encoded)), severity))
    return pairs[0].least if pairs else 0.0


def spread_apart(
    encoded: Floats,
    reach: float,
    severity: float = 1.0,
    seed: int = 0,
    progress: Progress = silent,
    cancel: CancelToken | None = None,
) -> Floats:
    """Encoded sRGB colours (n, 3) 0..1 moved by at most `reach` in each channel, so that the least difference grows.

    A soft minimum of the differences, -log(sum exp(-k d)) / k, is climbed by L-BFGS-B (Byrd, Lu, Nocedal and Zhu 1995)
    within the box, for rising k, from the colours themselves and from places by chance; what is best counts, and the
    colours themselves where nothing is better. Raises Cancelled.
    """
    from scipy.optimize import minimize

    given = np.clip(np.asarray(encoded, dtype=np.float64), 0, 1)
    if len(given) < 2 or reach <= 0:
        return float32(given)
    low, high = np.maximum(given - reach, 0).ravel(), np.minimum(given + reach, 1).ravel()
    first, second = np.triu_indices(len(given), 1)

    def apart(colours: Samples) -> Samples:
        """Differences of all pairs (b, 4 pairs) for places (b, 3 n)."""
        linear = srgb_to_linear(float32(colours.reshape(len(colours), -1, 3)))
        labs = [linear_to_cielab(seen_with(linear, vision, severity)) for vision in VISIONS]
        return np.concatenate([ciede2000(lab[:, first], lab[:, second]) for lab in labs], axis=1)

    def soft(colours: Samples, k: float) -> Samples:
        each = apart(colours)
        least = each.min(axis=1)
        return np.asarray(least - np.log(np.exp(-k * (each - least[:, None])).sum(axis=1)) / k)

    def climbed(place: Samples, k: float) -> tuple[float, Samples]:
        if cancel:
            cancel.check()
        steps = np.where(place + STEP > high, -STEP, STEP)
        around = soft(np.vstack([place, place + np.diag(steps)]), k)
        return -float(around[0]), -(around[1:] - around[0]) / steps

    rng = np.random.default_rng(seed)
    best, most = given.ravel(), float(apart(given.reshape(1, -1)).min())
    for start in range(STARTS):
        place = best if start == 0 else low + rng.random(len(low)) * (high - low)
        for k in SHARPNESS:
            progress((start + SHARPNESS.index(k) / len(SHARPNESS)) / STARTS, "Spreading colours")
            bounds = list(zip(low, high, strict=True))
            how = {"maxiter": MOST_STEPS, "ftol": 1e-4}
            place = minimize(climbed, place, args=(k,), jac=True, bounds=bounds, method="L-BFGS-B", options=how).x
        least = float(apart(place.reshape(1, -1)).min())
        if least > most:
            best, most = place, least
    return float32(np.clip(best, low, high).reshape(-1, 3))
