"""Alpha of pictures: whether colour was multiplied by it, dividing it out, colour under it. Ours is straight."""

import numpy as np

from even_palette.core.arrays import Floats, Samples, float32
from even_palette.core.raster.plane import stored_values

LEAST_SEEN = 0.02
"""So much of a picture must be half seen for it to tell."""


def looks_multiplied(samples: Samples) -> bool:
    """Whether colour (H, W, 4), as it is stored, is nowhere above its alpha, where enough is half seen to tell.

    Straight colour may do so by chance where it is dark; then dividing would lift it, so a picture whose colour is far
    below its alpha everywhere does not count.
    """
    if samples.shape[2] != 4:
        return False
    step = max(1, max(samples.shape[:2]) // 512)
    values = stored_values(samples[::step, ::step])
    alpha, brightest = values[..., 3], values[..., :3].max(axis=-1)
    half = (alpha > 0.02) & (alpha < 0.98)
    if half.mean() < LEAST_SEEN:
        return False
    rounding = 1.01 / 255
    whole = alpha >= 0.98
    usual = float(np.median(brightest[whole])) if whole.any() else float((brightest[half] / alpha[half]).max())
    near = float(np.median(brightest[half] / alpha[half]))
    return bool((brightest <= alpha + rounding)[alpha < 0.98].all()) and near > usual * 0.5


def divided(samples: Samples) -> Samples:
    """Straight colour of samples (H, W, 4) whose colour was multiplied by alpha; what has none stays as it is."""
    values = stored_values(samples)
    alpha = values[..., 3:]
    colour = np.where(alpha > 0, values[..., :3] / np.where(alpha > 0, alpha, 1), values[..., :3])
    if samples.dtype.kind == "f":
        return np.concatenate([float32(colour), alpha], axis=-1)
    whole = np.float32(np.iinfo(samples.dtype).max)
    levels = np.floor(np.clip(colour, 0, 1) * whole + np.float32(0.5)).astype(samples.dtype)
    return np.concatenate([levels, samples[..., 3:]], axis=-1)


def carried(values: Floats) -> Floats:
    """Values (H, W, 4) of which those that no alpha of 8 bits shows have the colour of the nearest that one does."""
    hidden = values[..., 3] < np.float32(0.5 / 255)
    if not hidden.any() or hidden.all():
        return values
    from scipy.ndimage import distance_transform_edt

    rows, columns = distance_transform_edt(hidden, return_distances=False, return_indices=True)
    return np.concatenate([values[rows, columns, :3], values[..., 3:]], axis=-1)
