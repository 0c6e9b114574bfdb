"""Shares as whole numbers that add up: the method of the largest remainder (Hamilton)."""

import numpy as np

from even_palette.core.arrays import Samples


def whole_shares(shares: Samples, total: int, rounding: float) -> Samples:
    """Whole numbers (n, ...) int32 for shares (n, ...) that add up to `total` along the first axis.

    All are rounded down, then what is missing goes to the largest remainders, of equal ones to the first; so each is
    within one of its share. What is less than `rounding` below a whole number counts as that.
    """
    low = np.floor(shares + shares.dtype.type(rounding))
    whole = low.astype(np.int32)
    missing = total - whole.sum(axis=0)
    places = np.nonzero(missing)
    if len(places[0]):
        remainder = (shares - low)[:, *places]
        order = np.argsort(-remainder, axis=0, kind="stable")
        rank = np.empty_like(order)
        np.put_along_axis(rank, order, np.arange(len(shares))[:, None], axis=0)
        whole[:, *places] += rank < missing[places]
    return np.asarray(whole)
