"""The loops of unmixing, compiled: which texels are pure, and the most probable shares of the others.

Of all sets S of one to three colours c_k near a texel x, with shares s_k > 0 that add up to 1, that one is taken for
which

    E = d^T B^T diag(1 / errors^2) B d  +  TRUST sum_k (s_k - p_k)^2  +  ANOTHER (|S| - 1)  [+ STRANGE]

is least, where d = sum_k s_k (f(c_k) - f(x)) / f'(x) is what the mixture leaves unexplained, in levels of x (f is the
curve in which mixtures are straight, B the channels in which errors are independent), the second sum goes over all
near colours (s_k = 0 for those that are not in S), and p_k is the share that the surround says is likely: the weights
exp(-r^2 / (2 SPREAD^2)) of texels of that colour, as parts of all. That is twice the negative logarithm of a Gaussian
probability of the colour and of the shares; for a given S the shares are those of the linear equations where its
gradient is 0.

The standard deviations are those of 8-bit rounding, 1 / sqrt(12) = 0.29 levels and some room, or what is measured
(lossy files). TRUST = 16 is a standard deviation of a quarter in the shares. ANOTHER, STRANGE and SPREAD were set by
trial, on charts whose coverage is known by analysis (tests/core/charts.py, bench/bench_unmix.py).
"""

import numba as nb
import numpy as np

from even_palette.core.arrays import Floats, Levels, Samples, float32
from even_palette.core.jobs import CancelToken, in_parts

NEAR = 3
"""Colours count as nearby that are pure within so many texels, in rows and columns."""
FAR = 8
"""Where none is near, as amid stray colours, it is looked for so far."""
SPREAD = 0.9
"""Standard deviation, in texels, of the weights by which the surround says what shares are likely."""
TRUST = 16.0
"""How much a share that differs from the surround's costs, beside squared errors of colour in standard deviations."""
ANOTHER = 3.0
"""What each further colour costs."""
STRANGE = 1500.0
"""What it costs to take a texel for one of a pure colour that is not near: no mixture is that unlikely."""
MOST_NEAR = 12
NONE = 65535


def pure_labels(rgb: Levels, colours: Levels, noise: int, cancel: CancelToken | None = None) -> Samples:
    """Which of colours (n, 3) each texel of rgb (H, W, 3) is, within `noise` levels; NONE where it is not pure.

    Raises Cancelled.
    """
    height = len(rgb)
    raw = np.empty(rgb.shape[:2], dtype=np.uint16)
    in_parts(height, lambda first, last: _label(rgb, colours, noise, first, last, raw), cancel)
    labels = np.empty_like(raw)
    in_parts(height, lambda first, last: _pure(raw, first, last, labels), cancel)
    return labels


def solve(
    rgb: Levels,
    labels: Samples,
    colours: Levels,
    places: Samples,
    curve: Floats,
    slope: Floats,
    basis: Floats,
    errors: Floats,
    parts: Samples | None = None,
    shares: Floats | None = None,
    cancel: CancelToken | None = None,
) -> tuple[Samples, Floats, Floats]:
    """The colours and shares of the texels at places (m,): parts (m, 3) uint16, shares (m, 3) float32, and the misfit.

    `curve` (256,) is what a level is where mixtures are straight, `slope` (256,) the levels by unit of that;
    `basis` (3, 3) the channels in which errors are independent, with standard deviations `errors` (3,) in levels.
    Parts and shares of an earlier pass, if given, belong to the surround as well. The misfit (3,) is the root mean
    square of what the shares leave unexplained, by channel of the basis in levels, where at least two colours are near.
    Raises Cancelled.
    """
    count = len(places)
    made, given = np.zeros((count, 3), dtype=np.uint16), np.zeros((count, 3), dtype=np.float32)
    again = parts is not None and shares is not None
    rows = np.zeros((1, 1), dtype=np.int32)
    if again:
        rows = np.full(labels.shape, -1, dtype=np.int32)
        rows.reshape(-1)[places] = np.arange(count, dtype=np.int32)
    before = parts if parts is not None else made
    before_shares = shares if shares is not None else given
    basis = basis.astype(np.float64)
    metric = basis.T @ np.diag(1 / np.square(errors.astype(np.float64))) @ basis
    misfit = np.zeros((count, 3), dtype=np.float32)
    space = (curve.astype(np.float64), slope.astype(np.float64), basis, metric)
    in_parts(
        count,
        lambda first, last: _solve(
            rgb, labels, colours, places, *space, again, rows, before, before_shares, first, last, made, given, misfit
        ),
        cancel,
    )
    known = misfit[:, 0] >= 0
    rms = np.sqrt(np.square(misfit[known]).mean(axis=0)) if known.any() else np.zeros(3)
    return made, given, float32(rms)


@nb.njit(nogil=True, cache=True)
def _label(rgb, colours, noise, first, last, out):  # type: ignore[no-untyped-def]
    width, count = rgb.shape[1], len(colours)
    for y in range(first, last):
        label = NONE
        for x in range(width):
            red, green, blue = np.int64(rgb[y, x, 0]), np.int64(rgb[y, x, 1]), np.int64(rgb[y, x, 2])
            same = (
                x > 0
                and red == np.int64(rgb[y, x - 1, 0])
                and green == np.int64(rgb[y, x - 1, 1])
                and blue == np.int64(rgb[y, x - 1, 2])
            )
            if not same:
                label, nearest = NONE, noise + 1
                for c in range(count):
                    far = abs(red - np.int64(colours[c, 0]))
                    if far >= nearest:
                        continue
                    far = max(far, abs(green - np.int64(colours[c, 1])), abs(blue - np.int64(colours[c, 2])))
                    if far < nearest:
                        label, nearest = c, far
            out[y, x] = label


@nb.njit(nogil=True, cache=True)
def _pure(raw, first, last, out):  # type: ignore[no-untyped-def]
    height, width = raw.shape
    for y in range(first, last):
        for x in range(width):
            label, pure = raw[y, x], False
            if label != NONE:
                for down in (-1, 1):
                    for across in (-1, 1):
                        v, u = y + down, x + across
                        if 0 <= v < height and 0 <= u < width:
                            pure |= raw[v, u] == label and raw[v, x] == label and raw[y, u] == label
            out[y, x] = label if pure else NONE


@nb.njit(nogil=True, cache=True)
def _solve(  # type: ignore[no-untyped-def]
    rgb, labels, colours, places, curve, slope, basis, metric, again, rows, before, before_shares,
    first, last, parts, shares, misfit,
):  # fmt: skip
    height, width = labels.shape
    count = len(colours)
    likely = np.zeros(count, dtype=np.float64)
    near = np.empty(count, dtype=np.int64)
    for m in range(first, last):
        y, x = places[m] // width, places[m] % width
        found, total = 0, 0.0
        reach = NEAR
        while True:
            for v in range(max(0, y - reach), min(height, y + reach + 1)):
                for u in range(max(0, x - reach), min(width, x + reach + 1)):
                    if v == y and u == x:
                        continue
                    weight = np.exp(-((v - y) ** 2 + (u - x) ** 2) / (2 * SPREAD * SPREAD)) + 1e-12
                    label = labels[v, u]
                    if label != NONE:
                        if likely[label] == 0:
                            near[found] = label
                            found += 1
                        likely[label] += weight
                        total += weight
            if found or reach == FAR:
                break
            reach = FAR
        if again:
            for v in range(max(0, y - 2), min(height, y + 3)):
                for u in range(max(0, x - 2), min(width, x + 3)):
                    if (v == y and u == x) or labels[v, u] != NONE:
                        continue
                    weight = np.exp(-((v - y) ** 2 + (u - x) ** 2) / (2 * SPREAD * SPREAD))
                    row = rows[v, u]
                    for k in range(3):
                        label = before[row, k]
                        if before_shares[row, k] > 0 and likely[label] > 0:
                            likely[label] += weight * before_shares[row, k]
                            total += weight * before_shares[row, k]
        # its own colour, where that is a pure one: a line may be as thin, while a texel alone is so by chance
        own = -1
        for c in range(count):
            if rgb[y, x, 0] == colours[c, 0] and rgb[y, x, 1] == colours[c, 1] and rgb[y, x, 2] == colours[c, 2]:
                own = c
        # those that are likeliest first
        for a in range(found):
            for b in range(a + 1, found):
                if likely[near[b]] > likely[near[a]]:
                    near[a], near[b] = near[b], near[a]
        used = min(found, MOST_NEAR)
        for a in range(used, found):
            likely[near[a]] = 0
        strange, like = -1, False
        for v in range(max(0, y - 1), min(height, y + 2)):
            for u in range(max(0, x - 1), min(width, x + 2)):
                same = rgb[v, u, 0] == rgb[y, x, 0] and rgb[v, u, 1] == rgb[y, x, 1] and rgb[v, u, 2] == rgb[y, x, 2]
                like |= same and not (v == y and u == x)
        if own >= 0 and likely[own] == 0 and (like or used == 0):
            strange = used
            near[used] = own
            likely[own] = 1e-9
            used += 1
        if used == 0:
            best, cost = 0, np.inf
            for c in range(count):
                far = 0.0
                for i in range(3):
                    far += (float(rgb[y, x, i]) - float(colours[c, i])) ** 2
                if far < cost:
                    best, cost = c, far
            parts[m, 0], shares[m, 0] = best, 1
            misfit[m] = -1
            continue
        _best(rgb[y, x], colours, near[:used], strange, likely, total + 1e-9, curve, slope, basis, metric,
              parts[m], shares[m], misfit[m])  # fmt: skip
        if used < 2:
            misfit[m] = -1
        for a in range(used):
            likely[near[a]] = 0


@nb.njit(nogil=True, cache=True)
def _best(  # type: ignore[no-untyped-def]
    texel, colours, near, strange, likely, total, curve, slope, basis, metric, parts, shares, misfit
):
    used = len(near)
    pure = np.empty((used, 3))
    prior = np.empty(used)
    squared = 0.0
    here, steep = np.empty(3), np.empty(3)
    for i in range(3):
        here[i], steep[i] = curve[texel[i]], slope[texel[i]]
    for a in range(used):
        prior[a] = likely[near[a]] / total
        squared += prior[a] ** 2
        for i in range(3):
            pure[a, i] = (curve[colours[near[a], i]] - here[i]) * steep[i]
    # now `pure` are differences to the texel in levels; a mixture explains it where their weighted sum is 0
    product = np.zeros((used, used))
    for a in range(used):
        for b in range(used):
            for i in range(3):
                for k in range(3):
                    product[a, b] += pure[a, i] * metric[i, k] * pure[b, k]
    lowest = np.inf
    one, two, three = 0, 0, 0
    s1, s2, s3 = 1.0, 0.0, 0.0
    for a in range(used):
        cost = product[a, a] + TRUST * (squared - 2 * prior[a] + 1) + (STRANGE if a == strange else 0.0)
        if cost < lowest:
            lowest, one, s1, two, s2, s3 = cost, a, 1.0, a, 0.0, 0.0
    mixes = used - 1 if strange >= 0 else used
    for a in range(mixes):
        for b in range(a + 1, mixes):
            down = product[a, a] - 2 * product[a, b] + product[b, b] + 2 * TRUST
            s = (product[b, b] - product[a, b] + TRUST * (prior[a] + 1 - prior[b])) / down
            if not 0 < s < 1:
                continue
            t = 1 - s
            cost = s * s * product[a, a] + 2 * s * t * product[a, b] + t * t * product[b, b]
            cost += TRUST * (squared + s * s + t * t - 2 * (s * prior[a] + t * prior[b])) + ANOTHER
            if cost < lowest:
                lowest, one, two, s1, s2, s3 = cost, a, b, s, t, 0.0
    if lowest > 2 * ANOTHER:
        for a in range(mixes):
            for b in range(a + 1, mixes):
                for c in range(b + 1, mixes):
                    paa = product[a, a] - 2 * product[a, c] + product[c, c] + 2 * TRUST
                    pbb = product[b, b] - 2 * product[b, c] + product[c, c] + 2 * TRUST
                    pab = product[a, b] - product[a, c] - product[b, c] + product[c, c] + TRUST
                    ra = product[c, c] - product[a, c] + TRUST * (prior[a] + 1 - prior[c])
                    rb = product[c, c] - product[b, c] + TRUST * (prior[b] + 1 - prior[c])
                    down = paa * pbb - pab * pab
                    if down <= 0:
                        continue
                    s, t = (ra * pbb - rb * pab) / down, (rb * paa - ra * pab) / down
                    r = 1 - s - t
                    if s <= 0 or t <= 0 or r <= 0:
                        continue
                    cost = s * s * product[a, a] + t * t * product[b, b] + r * r * product[c, c]
                    cost += 2 * (s * t * product[a, b] + s * r * product[a, c] + t * r * product[b, c])
                    cost += TRUST * (squared + s * s + t * t + r * r - 2 * (s * prior[a] + t * prior[b] + r * prior[c]))
                    cost += 2 * ANOTHER
                    if cost < lowest:
                        lowest, one, two, three, s1, s2, s3 = cost, a, b, c, s, t, r
    parts[0], parts[1], parts[2] = near[one], near[two], near[three] if s3 > 0 else near[one]
    shares[0], shares[1], shares[2] = s1, s2, s3
    for k in range(3):
        left = 0.0
        for i in range(3):
            mixed = s1 * pure[one, i] + s2 * pure[two, i] + (s3 * pure[three, i] if s3 > 0 else 0.0)
            left += basis[k, i] * mixed
        misfit[k] = abs(left)
