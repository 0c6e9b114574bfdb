"""Mips that keep coverage: what is cut out of a level shows as large a share of its texels as of the plane itself.

Castaño, “Computing alpha mipmaps” (2010): the mean thins leaves out, and none are left at a distance; so each level's
alpha is scaled until the share that reaches the threshold is that of the plane. Of texels in order the factor is known
at once: it takes the one that has just that share above it to the threshold.
"""

import numpy as np

from even_palette.core.arrays import Floats
from even_palette.core.raster.chain import Chain, Coverage
from even_palette.core.raster.mips import halved
from even_palette.core.raster.plane import Plane, stored_values


def covering(chain: Chain, kept: Coverage) -> Chain:
    """The chain of the same plane whose levels keep the coverage of a channel."""
    channel = min(kept.channel, chain.plane.channels - 1)
    alpha = stored_values(chain.plane.samples[..., channel])
    share, levels = coverage_of(alpha, kept.threshold), list[Plane]()
    for number in range(1, chain.count):
        alpha = halved(alpha[..., None])[..., 0]
        levels.append(_with_alpha(chain.level(number), channel, alpha, share, kept.threshold))
    return Chain(chain.plane, tuple(levels), kept)


def coverage_of(alpha: Floats, threshold: float) -> float:
    """The share of texels whose alpha is the threshold or more."""
    return float((alpha >= np.float32(threshold)).mean())


def _with_alpha(level: Plane, channel: int, alpha: Floats, share: float, threshold: float) -> Plane:
    """A level with its alpha (h, w) scaled until a share of it reaches the threshold; no rounding changes which."""
    samples = np.array(level.samples)
    whole = None if samples.dtype.kind == "f" else float(np.iinfo(samples.dtype).max)
    aim = threshold if whole is None else float(np.ceil(threshold * whole - 1e-6))
    last = _last_to_reach(alpha, share)
    if last > 0 and aim > 0:
        reached = alpha >= last
        scaled = np.minimum(alpha * np.float32(aim / last), whole or 1)
        scaled = scaled if whole is None else np.floor(scaled + np.float32(0.5))
        below = np.nextafter(np.float32(aim), np.float32(0)) if whole is None else aim - 1
        samples[..., channel] = np.where(reached, np.maximum(scaled, aim), np.minimum(scaled, below))
    return Plane(samples, level.encoding)


def _last_to_reach(alpha: Floats, share: float) -> float:
    """The alpha of the texel that has just a share of all at it or above; 0 for none."""
    wanted = round(share * alpha.size)
    return float(np.partition(alpha, alpha.size - wanted, axis=None)[alpha.size - wanted]) if wanted else 0.0
