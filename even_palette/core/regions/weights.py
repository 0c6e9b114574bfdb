"""From masks, which may overlap and leave gaps, to weights, which add up to one with the uncovered base."""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.regions.remainders import whole_shares


class Resolve(StrEnum):
    """How overlapping masks are resolved."""

    SHARE = "share"
    ORDER = "order"


def resolve_weights(masks: Floats, how: Resolve, locked: Sequence[bool] = ()) -> Floats:
    """Weights (R, H, W) of masks (R, H, W), 0..1; base = 1 - their sum.

    `share`: w_r = m_r / max(1, sum m). `order`: w_r = m_r times the product of (1 - m_s) over the regions s
    above r, the first region being the topmost. Those that are `locked` come first: they are resolved among
    themselves, and the others share what they leave, rest: w_r = m_r / max(1, sum m / rest), or come below all of them.
    """
    masks = float32(masks)
    held = np.array([*locked, *[False] * (len(masks) - len(locked))], dtype=bool)
    weights = np.empty_like(masks)
    if how == Resolve.SHARE:
        rest = np.ones(masks.shape[1:], dtype=np.float32)
        for chosen in (held, ~held):
            if chosen.any():
                part = masks[chosen]
                with np.errstate(divide="ignore", invalid="ignore"):
                    crowd = np.where(rest > 0, part.sum(axis=0) / rest, np.inf)
                    weights[chosen] = np.where(rest > 0, part / np.maximum(1, crowd), 0)
                rest = np.maximum(0, rest - weights[chosen].sum(axis=0))
        return weights
    left = np.ones(masks.shape[1:], dtype=np.float32)
    for index in [*np.flatnonzero(held), *np.flatnonzero(~held)]:
        weights[index] = masks[index] * left
        left = left * (1 - masks[index])
    return weights


def quantize_weights(weights: Floats, most: int = 255) -> Samples:
    """Weights (R, H, W) in whole levels so that they and the base add up to exactly `most` at every texel.

    The levels are uint8, or uint16 where `most` is above 255.

    By the largest remainders, that of the base among them, so each stored weight is within one level of its value.
    """
    kind = np.float32 if most <= 255 else np.float64
    with_base = np.concatenate([weights, 1 - weights.sum(axis=0, keepdims=True)]) * kind(most)
    with_base = np.clip(with_base, 0, most)
    levels = whole_shares(with_base, most, rounding=1e-4)
    return np.asarray(levels[:-1], dtype=np.uint8 if most <= 255 else np.uint16)


@dataclass(frozen=True)
class Coverage:
    """How the masks cover a sheet, in shares of its texels."""

    covered: float
    over: float
    empty: float


def coverage(mask_sum: Floats, counts: Samples) -> Coverage:
    """Coverage by sums of masks (n,), each standing for `counts` (n,) texels.

    Covered are sums of at least 254/255, over those of more than 256/255, empty those below 1/255.
    """
    step, texels = 1 / 255, counts.sum()
    covered, over, empty = (
        float(counts[chosen].sum() / texels) for chosen in (mask_sum >= 1 - step, mask_sum > 1 + step, mask_sum < step)
    )
    return Coverage(covered, over, empty)
