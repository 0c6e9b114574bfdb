"""Chroma that lossy files keep at half the size."""

import io

import numpy as np
import pytest
from PIL import Image
from scipy.ndimage import gaussian_filter

from even_palette.core.jobs import Cancelled, CancelToken
from even_palette.core.regions.chroma import FROM_CHROMA, TO_CHROMA, halved_and_back, sharpened


@pytest.mark.parametrize(("height", "width"), [(64, 96), (61, 95), (600, 40)])
def test_halved_chroma_is_that_of_libjpeg(height: int, width: int) -> None:
    """Pillow's JPEG of quality 100 with halved chroma, of colours that are well within range."""
    noise = np.random.default_rng(height).random((height, width, 3))
    soft = gaussian_filter(noise, (1.2, 1.2, 0))
    rgb = np.uint8(np.clip(128 + 400 * (soft - 0.5), 40, 215))
    kept = io.BytesIO()
    Image.fromarray(rgb).save(kept, "JPEG", quality=100, subsampling=2)
    read = np.asarray(Image.open(kept)).astype(float)
    chroma = np.float32(rgb @ TO_CHROMA.T)
    ours = rgb + (halved_and_back(chroma) - chroma) @ FROM_CHROMA.T
    assert np.abs(read - ours).mean() < 1
    assert np.abs(read - rgb).mean() > 3 * np.abs(read - ours).mean()


def test_the_picture_before_gives_itself() -> None:
    """With the right estimate all comes back within rounding, at a size that is no multiple of the band."""
    rgb = np.random.default_rng(2).integers(60, 200, (519, 77, 3)).astype(np.uint8)
    chroma = np.float32(rgb @ TO_CHROMA.T)
    halved = rgb + (halved_and_back(chroma) - chroma) @ FROM_CHROMA.T
    stored = np.uint8(np.clip(halved + 0.5, 0, 255))
    inside = ((halved > 1) & (halved < 254)).all(axis=-1)
    found = sharpened(stored, lambda first, last: np.float32(rgb[first:last]))
    assert np.abs(found.astype(int) - rgb)[inside].max() <= 1
    token = CancelToken()
    token.cancel()
    with pytest.raises(Cancelled):
        sharpened(stored, lambda first, last: np.float32(rgb[first:last]), token)
